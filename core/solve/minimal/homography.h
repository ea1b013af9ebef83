// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

#include "solve/minimal/robust_sampling.h"

namespace va {

using Points2 = std::vector<Eigen::Vector2d>;

/// Homography H with b ~ H a, by the normalised direct linear transform (Hartley & Zisserman 2004, alg. 4.2). `use` are
/// the indices that take part, at least 4. Nothing when they are too few or degenerate (three of four on a line).
std::optional<Eigen::Matrix3d> homographyFrom(const Points2& a, const Points2& b, const std::vector<int>& use);

/// Squared distance of H a from b, in units of b. Infinite when H a lies at infinity.
double transferError2(const Eigen::Matrix3d& h, const Eigen::Vector2d& a, const Eigen::Vector2d& b);

/// Robust homography, refined on all that agrees.
SamplingResult<Eigen::Matrix3d> robustHomography(const Points2& a, const Points2& b, const SamplingOptions& options);

}  // namespace va
