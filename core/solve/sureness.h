// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <span>

#include "solve/bundle.h"

namespace va {

/// How a pixel follows its camera and its point.
struct SightingSlopes {
    Eigen::Matrix<double, 2, 6> byView;   ///< small turn about the camera's axes (radians), then shift of View::shift
    Eigen::Matrix<double, 2, 3> byPoint;  ///< world
    Eigen::Matrix2Xd byLens;              ///< one column a lens value
    Eigen::Vector2d pixel;
};

/// Nothing where the point does not lie in front of the camera.
std::optional<SightingSlopes> slopesOf(const View& view, const Intrinsics& lens, const Eigen::Vector3d& point,
                                       std::span<const LensValue> values);

/// Covariance of lens values at the minimum of a bundle with one lens, as far as the sightings tell it: the normal
/// matrix with all points and views taken out by their Schur complements (Triggs et al. 1999, section 6), its inverse
/// times the variance of the whitened residuals (never below 1/4: whitening that is too careful must not make a number
/// look sure). With `fixedPoints` the points are known, as on a chart.
///
/// Nothing where there are fewer sightings than unknowns. Directions that the sightings leave free come out with a
/// variance of about 1e9. Uses dense algebra over views: choose some of a long shot's frames. `least` is the smallest
/// variance a whitened residual is taken to have.
std::optional<Eigen::MatrixXd> lensCovariance(const BundleProblem& problem, std::span<const LensValue> values,
                                              bool fixedPoints, double least = 0.25);

}  // namespace va
