// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

namespace va {

/// The plane normal·x = offset, |normal| = 1.
struct PlaneFit {
    Eigen::Vector3d normal{0, 1, 0};
    double offset = 0;
    double rms = 0;  ///< distance of the points it was fitted to, in their unit

    [[nodiscard]] double distance(const Eigen::Vector3d& x) const { return normal.dot(x) - offset; }
};

/// Least-squares plane through three or more points (total least squares: smallest principal component). Nothing when
/// they are fewer, or lie on a line to within a thousandth of their extent: then any tilt around the line would fit.
std::optional<PlaneFit> fitPlane(const std::vector<Eigen::Vector3d>& points);

}  // namespace va
