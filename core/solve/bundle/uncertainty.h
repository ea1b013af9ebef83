// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <span>

#include "solve/bundle/bundle.h"

namespace va {

/// Covariance of lens values at the minimum of a bundle with one lens, as far as the observations tell it: the normal
/// matrix with all points and views taken out, its inverse times the variance of the whitened residuals (never below
/// `least`: whitening that is too careful must not make a number look sure). With `fixedPoints` the points are known,
/// as on a chart. With a zoom, LensValue::focal is the middle view's focal length, and what it shares with other values
/// is left out. With `solveReadout` the read-out time's variance (frames²) is the last entry, after the values.
///
/// Nothing where there are fewer observations than unknowns. Directions that the observations leave free come out with
/// a variance of about 1e9.
std::optional<Eigen::MatrixXd> lensCovariance(const BundleProblem& problem, std::span<const LensValue> values,
                                              bool fixedPoints, double least = 0.25, bool solveReadout = false);

}  // namespace va
