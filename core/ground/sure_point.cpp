// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/sure_point.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>

namespace va {
namespace {

/// Frames that a point's covariance is summed over, at most.
constexpr size_t mostFrames = 16;
/// Observations that the solve's own RMS error counts for beside those of the point.
constexpr double poolOf = 8;

struct CameraOfFrame {
    int frame;
    View view;
    double focalPx;
};

}  // namespace

double SurePoint::sigmaAlong(const Eigen::Vector3d& direction) const {
    return std::sqrt(std::max(0.0, direction.dot(covariance * direction)));
}

std::vector<SurePoint> surePoints(const SolveResult& solve) {
    std::vector<SurePoint> out;
    if (solve.motion != Motion::free) return out;
    std::vector<CameraOfFrame> cameras;
    for (const SolvedFrame& f : solve.frames)
        if (f.solved) cameras.push_back({f.frame, viewFromPose(f.pose), solve.intrinsics(f.frame).focalPx});
    const double together = std::max(1.0, solve.errorsTogether), shared = std::max(solve.rmsPx, 0.02);
    std::vector<const CameraOfFrame*> seen;
    for (const SolvedPoint& p : solve.points) {
        seen.clear();
        for (const CameraOfFrame& c : cameras)
            if ((p.stretch.empty() || p.stretch.contains(c.frame)) && c.view.toCamera(p.position).z() > 0)
                seen.push_back(&c);
        if (seen.size() < 2 || !p.position.allFinite()) continue;
        const size_t count = std::min(seen.size(), mostFrames);
        SurePoint s;
        s.pathId = p.pathId;
        s.position = p.position;
        s.depth = 1e300;
        Eigen::Matrix3d information = Eigen::Matrix3d::Zero();
        for (size_t i = 0; i < count; ++i) {
            const CameraOfFrame& c = *seen[i * (seen.size() - 1) / (count - 1)];
            const Eigen::Vector3d q = c.view.toCamera(p.position);
            Eigen::Matrix<double, 2, 3> divide;
            divide << 1, 0, -q.x() / q.z(), 0, 1, -q.y() / q.z();
            const Eigen::Matrix<double, 2, 3> j = (c.focalPx / q.z()) * divide * c.view.rotation;
            information += j.transpose() * j;
            s.depth = std::min(s.depth, q.norm());
        }
        const CameraOfFrame& middle = *seen[seen.size() / 2];
        s.frame = middle.frame;
        s.perPx = middle.view.toCamera(p.position).z() / middle.focalPx;
        const double observed = p.observations > 1 ? p.observations : double(seen.size());
        const double variance =
            (p.rmsPx * p.rmsPx * observed + shared * shared * poolOf) / (observed + poolOf) * together * together;
        information *= observed / (double(count) * variance);
        // A point without parallax is as uncertain as it is far away, and no more.
        information += Eigen::Matrix3d::Identity() / (s.depth * s.depth);
        s.covariance = information.ldlt().solve(Eigen::Matrix3d::Identity());
        if (s.covariance.allFinite()) out.push_back(s);
    }
    return out;
}

const SurePoint* sureAt(const std::vector<SurePoint>& points, int pathId) {
    const auto found =
        std::find_if(points.begin(), points.end(), [&](const SurePoint& p) { return p.pathId == pathId; });
    return found != points.end() ? &*found : nullptr;
}

}  // namespace va
