// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "lens/lens_numbers.h"

namespace va {

/// A lens as another model, and how well that does.
struct ConvertedLens {
    Intrinsics lens;
    double largestPx = 0;  ///< largest difference in where the two put an undistorted position, inside the frame
};

/// The lens as another model with the same focal length and principal point: the numbers that put a grid of undistorted
/// positions nearest to where the lens puts them, in least squares (Levenberg–Marquardt with the model's own
/// Jacobians). What the other model can't do shows in `largestPx`; 1e9 where it folds over inside the frame.
ConvertedLens convertLens(const Intrinsics& lens, LensKind to, int width, int height);

/// The numbers that distort the same pixels in the same way when the focal length is `ratio` times as long: each by
/// the power of its radius. A fisheye's focal length can't be parted from its distortion: its numbers stay.
LensModel distortionForFocal(const LensModel& distortion, double ratio);

/// The radial polynomials of the open lens data base, undistorted radius u to distorted radius d:
///     poly3    d = u (1 − a + a u²)
///     poly5    d = u (1 + a u² + b u⁴)
///     ptlens   d = u (a u³ + b u² + c u + 1 − a − b − c)
enum class RadialForm { poly3, poly5, ptlens };

struct RadialPolynomial {
    RadialForm form = RadialForm::poly3;
    std::array<double, 3> terms{};  ///< a, b, c
    /// Radius 1 in normalised coordinates: half the shorter side of the sensor that the lens was measured on over the
    /// focal length, both in mm.
    double unit = 1;

    [[nodiscard]] double distorted(double undistorted) const;
};

/// A measured polynomial as a Brown–Conrady lens for a picture. poly3 and poly5 are of that form already; the odd
/// powers of ptlens are fitted by k1–k6. A polynomial that shrinks or widens the middle changes the focal length by as
/// much, so that the picture's middle is where it was: `camera` gives focal length (of the undistorted picture), pixel
/// aspect and principal point.
ConvertedLens lensFromPolynomial(const RadialPolynomial& polynomial, const Intrinsics& camera, int width, int height);

}  // namespace va
