// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

#include "solve/solve_result.h"

namespace va {

/// A solved point with what the solve leaves open about its position.
struct SurePoint {
    int pathId = 0;
    Eigen::Vector3d position = Eigen::Vector3d::Zero();
    Eigen::Matrix3d covariance = Eigen::Matrix3d::Zero();  ///< solve units²
    double depth = 1;                                      ///< from the nearest camera that sees it, solve units
    int frame = 0;                                         ///< the middle one of those that see it
    double perPx = 1;  ///< solve units that one px covers at the point, across the line of sight

    /// Deviation along a unit direction.
    [[nodiscard]] double sigmaAlong(const Eigen::Vector3d& direction) const;
};

/// The points of a solve with the covariance that the errors of their observations give them while the cameras stay as
/// they are: the inverse of Jᵀ J / σ² over the frames of the point's stretch (all where it
/// has none) and the marks of reference stills (Hartley & Zisserman 2004, section 5.2).
/// σ is the point's own RMS error, drawn towards that of the solve where it was seen few times, times
/// `errorsTogether`. What all points share, the errors of the cameras, is not in it. Points that neither two solved
/// frames nor a frame and a still see are left out. Empty for solves without depth.
std::vector<SurePoint> surePoints(const SolveResult& solve);

/// The one of a path, or null. `points` in any order.
const SurePoint* sureAt(const std::vector<SurePoint>& points, int pathId);

}  // namespace va
