// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <optional>
#include <span>

#include "ground/plane.h"
#include "ground/sure_point.h"

namespace va {

/// A flat region of the scene: a plane, the points that it was fitted to, where it ends, and how sure it is. In the
/// space of its points.
struct Surface {
    PlaneFit plane;
    std::vector<int> paths;                            ///< ids of the points that it goes through
    std::vector<int> outliers;                         ///< ids of points that were offered and lie off it
    Eigen::Vector3d centre = Eigen::Vector3d::Zero();  ///< on the plane, amid its points
    Eigen::Vector3d u{1, 0, 0}, v{0, 0, 1};            ///< unit axes in the plane, the longer extent first
    double halfU = 0, halfV = 0;                       ///< half of the extent along them
    double rmsPx = 0;                                  ///< distance of the points from it as the plate shows it
    /// Of the rotation about u, the rotation about v (radians) and the offset at the centre.
    Eigen::Matrix3d covariance = Eigen::Matrix3d::Zero();

    /// Deviation of the normal, radians, along its worse direction.
    [[nodiscard]] double tiltSigma() const;
    [[nodiscard]] double offsetSigma() const;
    /// Centre ± half extents: counter-clockwise seen from the side that the normal points to.
    [[nodiscard]] std::array<Eigen::Vector3d, 4> corners() const;
    /// Turns the plane over: the normal and what goes with it.
    void flip();
};

/// The plane that fits points best, each weighed by its deviation along the normal and by the relief of the surface,
/// which is estimated from the points themselves (a common variance added to theirs until the residuals agree, as in a
/// random-effects model: Paule & Mandel, J. Res. NBS 87, 1982). With `robust` and more than four points, points more
/// than 3.5 deviations off are set aside as outliers, from the start of least median of squares (Rousseeuw 1984);
/// otherwise all count.
///
/// The covariance is that of the weighted fit, or that of sums over patches of the surface where that is larger: relief
/// of neighbours is alike, and such errors do not average out (cluster-robust variance, Liang & Zeger 1986). Assumes
/// cameras without error. Nothing for fewer than three points, and for points on a line.
std::optional<Surface> fitSurface(std::span<const SurePoint> points, bool robust);

/// Fits what a choice of paths holds. Ids that have no point are passed over.
std::optional<Surface> fitSurface(const std::vector<SurePoint>& points, const std::vector<int>& paths, bool robust);

}  // namespace va
