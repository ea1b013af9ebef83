// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <vector>

namespace va {

/// Something that is known of points besides their observations, in units of the world that they stand in.
struct PointTie {
    enum class Kind {
        position,   ///< one point stands at `target`
        distance,   ///< two points are `length` apart
        flat,       ///< four or more points lie on one plane, wherever that is
        level,      ///< one point lies on the plane through `target` with the unit normal `normal`
        rightAngle  ///< at the middle one of three points
    };
    Kind kind = Kind::distance;
    std::vector<int> points;  ///< indices
    Eigen::Vector3d target = Eigen::Vector3d::Zero(), normal = Eigen::Vector3d::UnitY();
    double length = 0;
    /// Tolerance, one deviation: world units; for a right angle radians.
    double sigma = 0.01;
};

/// How far the points are from what the tie says, over its tolerance; one number or more. A tie whose points make no
/// sense (an angle between points that coincide, a plane through fewer than four) gives zeros.
Eigen::VectorXd tieResiduals(const PointTie& tie, const std::vector<Eigen::Vector3d>& points);

/// Jacobian of the residuals by the tie's points, three columns a point, by central differences over a ten-thousandth
/// of their extent.
Eigen::MatrixXd tieJacobian(const PointTie& tie, const std::vector<Eigen::Vector3d>& points);

}  // namespace va
