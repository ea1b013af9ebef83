// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/extend_by_rotation.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/svd3.h"

namespace va {
namespace {

/// The rotation that takes the directions `seen` onto `world`, and how well.
struct RotationFit {
    Eigen::Quaterniond rotation = Eigen::Quaterniond::Identity();
    int agree = 0;
    double sum = 0;  ///< of squared differences of those that agree, radians²
};

/// Kabsch 1976, weighed anew by how far each is off; `close` radians agree.
RotationFit fitRotation(const std::vector<Eigen::Vector3d>& world, const std::vector<Eigen::Vector3d>& seen,
                        double close) {
    RotationFit fit;
    std::vector<double> weights(world.size(), 1.0);
    for (int round = 0; round < 12; ++round) {
        Eigen::Matrix3d m = Eigen::Matrix3d::Zero();
        for (size_t k = 0; k < world.size(); ++k) m += weights[k] * world[k] * seen[k].transpose();
        fit.rotation = Eigen::Quaterniond(nearestRotation(m));
        fit.agree = 0, fit.sum = 0;
        for (size_t k = 0; k < world.size(); ++k) {
            const double off = (fit.rotation * seen[k] - world[k]).norm();
            weights[k] = 1 / (1 + std::pow(off / (0.5 * close), 2));
            if (off < close) ++fit.agree, fit.sum += off * off;
        }
    }
    return fit;
}

/// Where a normalised position of the picture is seen, in our axes: the camera looks down −Z with Y up.
Eigen::Vector3d ray(const Eigen::Vector2d& n) { return Eigen::Vector3d(n.x(), -n.y(), -1).normalized(); }

/// Turns frame `f` onto the frame `next`; `direction`: of the paths, in the world, as far as they are known by now.
bool extendOnto(const Reconstruction& r, FrameIndex f, FrameIndex next, std::vector<SolvedFrame>& frames,
                std::vector<std::optional<Eigen::Vector3d>>& direction) {
    const Observations& s = r.observations();
    const SolvedFrame& from = frames[size_t(next)];
    Intrinsics lens = r.lens();
    lens.focalPx = from.focalPx;
    std::vector<Eigen::Vector3d> world, seen;
    for (const auto& [i, j] : s.shared(f, next)) {
        const auto a = lens.normalisedFromPixel(s.all[size_t(i)].pixel),
                   b = lens.normalisedFromPixel(s.all[size_t(j)].pixel);
        if (!a || !b) continue;
        auto& d = direction[size_t(s.all[size_t(i)].path)];
        if (!d) d = from.pose.worldFromCamera * ray(*b);
        world.push_back(*d);
        seen.push_back(ray(*a));
    }
    if (int(world.size()) < std::max(12, s.fewest.seen)) return false;
    const RotationFit fit = fitRotation(world, seen, 1.5 / lens.focalPx);
    if (fit.agree * 10 < int(world.size()) * 7) return false;
    SolvedFrame& out = frames[size_t(f)];
    out.solved = true;
    out.origin = PoseOrigin::turned;
    out.pose.position = from.pose.position;
    out.pose.worldFromCamera = fit.rotation.normalized();
    out.focalPx = lens.focalPx;
    out.observations = fit.agree;
    out.rmsPx = lens.focalPx * std::sqrt(fit.sum / fit.agree);
    return true;
}

}  // namespace

void extendByRotation(const Reconstruction& r, std::vector<SolvedFrame>& frames) {
    const int count = r.observations().frameCount();
    std::vector<std::optional<Eigen::Vector3d>> direction(size_t(r.observations().pathCount()));
    for (bool grown = true; grown;) {
        grown = false;
        for (int pass = 0; pass < 2; ++pass)
            for (int i = 0; i < count; ++i) {
                const FrameIndex f(pass == 0 ? i : count - 1 - i), next = pass == 0 ? f - 1 : f + 1;
                if (next < FrameIndex(0) || next >= FrameIndex(count) || frames[size_t(f)].solved ||
                    !frames[size_t(next)].solved)
                    continue;
                if (extendOnto(r, f, next, frames, direction)) grown = true;
            }
    }
}

}  // namespace va
