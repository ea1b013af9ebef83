// SPDX-License-Identifier: GPL-3.0-or-later
#include "layout/repeat.h"

#include <cmath>
#include <numbers>

namespace va {

std::vector<Similarity> repeatedByStep(const Similarity& first, int count, const Eigen::Vector3d& step) {
    std::vector<Similarity> out;
    for (int i = 1; i <= count; ++i) {
        out.push_back(first);
        out.back().translation += i * step;
    }
    return out;
}

std::vector<Similarity> repeatedAlong(const Similarity& first, int count, const Eigen::Vector3d& from,
                                      const Eigen::Vector3d& to) {
    return count < 1 ? std::vector<Similarity>() : repeatedByStep(first, count, (to - from) / count);
}

std::vector<Similarity> repeatedAround(const Similarity& first, int count, const Eigen::Vector3d& centre,
                                       const Eigen::Vector3d& axis, double degrees) {
    std::vector<Similarity> out;
    const bool whole = std::fabs(std::fabs(degrees) - 360) < 1e-9;
    const double step = degrees * std::numbers::pi / 180 / (count + (whole ? 1 : 0));
    for (int i = 1; i <= count; ++i) {
        const Eigen::Quaterniond turn(Eigen::AngleAxisd(i * step, axis.normalized()));
        out.push_back(
            {first.scale, (turn * first.rotation).normalized(), centre + turn * (first.translation - centre)});
    }
    return out;
}

}  // namespace va
