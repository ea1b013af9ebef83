// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>

namespace va {

/// Radial and tangential lens distortion (Conrady 1919; Brown 1966, 1971) in normalised coordinates: a point of the
/// straight picture plane at distance 1 from the centre of projection, x right, y down.
///
///     r² = x² + y²
///     x_d = x (1 + k1 r² + k2 r⁴ + k3 r⁶) + 2 p1 x y + p2 (r² + 2 x²)
///     y_d = y (1 + k1 r² + k2 r⁴ + k3 r⁶) + p1 (r² + 2 y²) + 2 p2 x y
///
/// Undistorted goes to distorted; the way back is found by Newton's method. All coefficients are pure numbers.
struct BrownConrady {
    double k1 = 0, k2 = 0, k3 = 0, p1 = 0, p2 = 0;

    /// Bends a straight point. With `jacobian`, also d(x_d, y_d)/d(x, y).
    [[nodiscard]] Eigen::Vector2d distort(const Eigen::Vector2d& straight, Eigen::Matrix2d* jacobian = nullptr) const;

    /// Straightens a bent point to better than 1e-12, or nothing where no straight point inside the fold radius bends
    /// to it.
    [[nodiscard]] std::optional<Eigen::Vector2d> undistort(const Eigen::Vector2d& bent) const;

    /// Straight radius up to which bent radius grows (radial part only): beyond it the model folds over and has no
    /// meaning. Infinity for a model that never folds.
    [[nodiscard]] double foldRadius() const;

    [[nodiscard]] bool isZero() const { return k1 == 0 && k2 == 0 && k3 == 0 && p1 == 0 && p2 == 0; }
    friend bool operator==(const BrownConrady&, const BrownConrady&) = default;
};

}  // namespace va
