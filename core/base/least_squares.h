// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <functional>

namespace va {

/// Result of a small least-squares problem.
struct LeastSquares {
    Eigen::VectorXd x;
    double cost = 0;  ///< Σ r²
    /// (JᵀJ)⁻¹ at the minimum: the covariance of x where residuals are in units of their deviation. Directions that the
    /// residuals leave open come out with a variance of about 1e12.
    Eigen::MatrixXd covariance;
};

/// The residuals at x, all finite.
using ResidualsAt = std::function<Eigen::VectorXd(const Eigen::VectorXd& x)>;

/// Minimises Σ r(x)² from `x` on by Levenberg–Marquardt (Marquardt 1963) with central difference quotients: for a few
/// dozen unknowns of about unit size, where nothing large depends on speed. Where r is not finite a step is not taken.
LeastSquares leastSquares(Eigen::VectorXd x, const ResidualsAt& residuals, int rounds = 60);

}  // namespace va
