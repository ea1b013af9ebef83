// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <cstdint>
#include <span>
#include <string>

namespace va {

/// The formulas by which a lens distorts the undistorted picture. All work in normalised coordinates: a point of the
/// undistorted picture plane at distance 1 from the centre of projection, x right, y down; undistorted goes to
/// distorted.
enum class LensKind : uint8_t {
    /// Radial and tangential (Conrady 1919; Brown 1966, 1971), with the rational extension of the radial part:
    ///     x_d = x R + 2 p1 x y + p2 (r² + 2 x²),  y_d = y R + p1 (r² + 2 y²) + 2 p2 x y,
    ///     R = (1 + k1 r² + k2 r⁴ + k3 r⁶) / (1 + k4 r² + k5 r⁴ + k6 r⁶)
    brownConrady,
    /// One number, for wide lenses (Fitzgibbon, "Simultaneous linear estimation of multiple view geometry and lens
    /// distortion", CVPR 2001): undistorted = distorted / (1 + lambda r_d²).
    division,
    /// Equidistant fisheye (Kannala & Brandt, PAMI 2006): r_d = θ + k1 θ³ + k2 θ⁵ + k3 θ⁷ + k4 θ⁹, θ = atan r. The
    /// undistorted plane holds directions less than 90° from the axis.
    fisheye,
    /// A lens that squeezes: in axes rotated by `axis_rotation` (radians), x_d = (1 + squeeze_rest) x (1 + h_xx x² +
    /// h_yy y² + h_xxxx x⁴ + h_xxyy x² y² + h_yyyy y⁴), and y_d = y (1 + v_xx x² + …). The letters after the axis
    /// (horizontal, vertical) write out the monomial. `squeeze_rest` is what the film back's pixel aspect leaves over.
    anamorphic
};

inline constexpr int lensKinds = 4;
/// Most numbers that a kind has.
inline constexpr int mostLensValues = 12;

using LensValueJacobian = Eigen::Matrix<double, 2, mostLensValues>;

/// Names of a kind's numbers, in order: "k1", "k2", …
std::span<const char* const> lensValueNames(LensKind kind);
/// Word for files and messages: "brown-conrady", "division", "fisheye", "anamorphic".
const char* lensKindName(LensKind kind);
/// The name that older files give a number, as it is now: "x20" of an anamorphic lens is "h_xx".
std::string currentLensValueName(const std::string& name);

/// Distorts an undistorted point with the numbers `values` (as many as lensValueNames has). With `jacobian`, also
/// d(distorted)/d(undistorted); with `byValues`, d(distorted)/d(values) in its first columns, the others untouched.
/// Beyond the fold of the formula the result is finite and without meaning.
Eigen::Vector2d distortPoint(LensKind kind, const double* values, const Eigen::Vector2d& undistorted,
                             Eigen::Matrix2d* jacobian = nullptr, LensValueJacobian* byValues = nullptr);

}  // namespace va
