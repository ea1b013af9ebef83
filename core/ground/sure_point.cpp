// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/sure_point.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>
#include <map>

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

/// What one sight of a point from a camera tells of its position, for errors of one px.
Eigen::Matrix3d informationFrom(const View& view, double focalPx, const Eigen::Vector3d& position) {
    const Eigen::Vector3d q = view.toCamera(position);
    Eigen::Matrix<double, 2, 3> divide;
    divide << 1, 0, -q.x() / q.z(), 0, 1, -q.y() / q.z();
    const Eigen::Matrix<double, 2, 3> j = (focalPx / q.z()) * divide * view.rotation;
    return j.transpose() * j;
}

/// The marks of reference stills on each path.
struct StillSight {
    View view;
    double focalPx, sigma;
};
std::multimap<int, StillSight> stillSights(const SolveResult& solve) {
    std::multimap<int, StillSight> out;
    for (const SolvedStill& still : solve.stills)
        for (const StillMark& m : still.used)
            if (still.solved)
                out.emplace(m.path, StillSight{viewFromPose(still.pose), still.lens.focalPx,
                                               std::max({m.sigma, still.rmsPx, 0.05})});
    return out;
}

}  // namespace

double SurePoint::sigmaAlong(const Eigen::Vector3d& direction) const {
    return std::sqrt(std::max(0.0, direction.dot(covariance * direction)));
}

std::vector<SurePoint> surePoints(const SolveResult& solve) {
    std::vector<SurePoint> out;
    if (!solve.hasDepth()) return out;
    std::vector<CameraOfFrame> cameras;
    for (const SolvedFrame& f : solve.frames)
        if (f.solved) cameras.push_back({f.frame, viewFromPose(f.pose), solve.intrinsics(f.frame).focalPx});
    const double together = std::max(1.0, solve.errorsTogether), shared = std::max(solve.rmsPx, 0.02);
    const std::multimap<int, StillSight> stills = stillSights(solve);
    std::vector<const CameraOfFrame*> seen;
    for (const SolvedPoint& p : solve.points) {
        seen.clear();
        for (const CameraOfFrame& c : cameras)
            if ((p.stretch.empty() || p.stretch.contains(c.frame)) && c.view.toCamera(p.position).z() > 0)
                seen.push_back(&c);
        const auto [firstStill, lastStill] = stills.equal_range(p.pathId);
        if (seen.empty() || !p.position.allFinite()) continue;
        if (seen.size() < 2 && firstStill == lastStill) continue;
        const size_t count = std::min(seen.size(), mostFrames);
        SurePoint s;
        s.pathId = p.pathId;
        s.position = p.position;
        s.depth = 1e300;
        Eigen::Matrix3d information = Eigen::Matrix3d::Zero();
        for (size_t i = 0; i < count; ++i) {
            const CameraOfFrame& c = *seen[count > 1 ? i * (seen.size() - 1) / (count - 1) : 0];
            information += informationFrom(c.view, c.focalPx, p.position);
            s.depth = std::min(s.depth, c.view.toCamera(p.position).norm());
        }
        const CameraOfFrame& middle = *seen[seen.size() / 2];
        s.frame = middle.frame;
        s.perPx = middle.view.toCamera(p.position).z() / middle.focalPx;
        const double observed = p.observations > 1 ? p.observations : double(seen.size());
        const double variance =
            (p.rmsPx * p.rmsPx * observed + shared * shared * poolOf) / (observed + poolOf) * together * together;
        information *= observed / (double(count) * variance);
        for (auto sight = firstStill; sight != lastStill; ++sight)
            information += informationFrom(sight->second.view, sight->second.focalPx, p.position) /
                           (sight->second.sigma * sight->second.sigma);
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
