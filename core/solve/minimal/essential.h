// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

#include "solve/camera.h"
#include "solve/minimal/homography.h"

namespace va {

/// All essential matrices E with bᵀ E a = 0 for five pairs of undistorted normalised points (Nistér, "An Efficient
/// Solution to the Five-Point Relative Pose Problem", PAMI 2004; solved by the action matrix of Stewénius, Engels &
/// Nistér 2006). At most ten; none when the five pairs are degenerate.
std::vector<Eigen::Matrix3d> essentialFromFive(const Points2& a, const Points2& b, const std::vector<int>& five);

/// Squared Sampson distance of a pair from the epipolar constraint, in units of the points.
double sampsonError2(const Eigen::Matrix3d& e, const Eigen::Vector2d& a, const Eigen::Vector2d& b);

/// Robust essential matrix over undistorted normalised points, refined by Sampson's error on all that agrees.
SamplingResult<Eigen::Matrix3d> robustEssential(const Points2& a, const Points2& b, const SamplingOptions& options);

/// Second view relative to a first one at the origin, |translation| = 1: of the four poses of an essential matrix the
/// one that has most of the agreeing points in front of both cameras. Nothing when no pose has more than half of them
/// there.
std::optional<View> poseFromEssential(const Eigen::Matrix3d& e, const Points2& a, const Points2& b,
                                      const std::vector<char>& agrees);

}  // namespace va
