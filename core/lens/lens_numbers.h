// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <span>
#include <string>
#include <vector>

#include "lens/intrinsics.h"

namespace va {

/// The numbers of an Intrinsics that can be solved. After focal length and principal point come those of the lens model
/// in its order; the names are Brown–Conrady's.
enum class LensValue { focal, principalX, principalY, k1, k2, k3, p1, p2 };
/// The i-th number of whatever model the lens is.
constexpr LensValue lensValueAt(int i) { return LensValue(int(LensValue::k1) + i); }

/// A solved number and how sure it is: one standard deviation. Focal length and principal point in px.
struct LensNumber {
    std::string name;
    double value = 0, sigma = 0;
};

/// d(pixel) / d(values) at an undistorted position, one column a value.
Eigen::Matrix2Xd pixelByLens(const Intrinsics& lens, const Eigen::Vector2d& undistorted,
                             std::span<const LensValue> values);

/// Names, values and deviations, from the covariance of the values in their order. What is not finite becomes 1e9.
std::vector<LensNumber> lensNumbers(const Intrinsics& lens, std::span<const LensValue> values,
                                    const Eigen::MatrixXd& covariance);

/// Expected error in px of where the lens distorts a position to, at the worst position of the frame, as the covariance
/// of the values says; without the part that a change of focal length or of the principal point makes, which a solve
/// takes up elsewhere. 1e9 where the covariance is not finite.
double mapSigmaPx(const Intrinsics& lens, int width, int height, std::span<const LensValue> values,
                  const Eigen::MatrixXd& covariance);

/// Angle in radians between the directions that the middles of the frame's left and right border look in: what the
/// plate shows, distortion included. Without the distortion where the lens folds over.
double horizontalFieldOfView(const Intrinsics& lens, int width, int height);

/// How far in px the lens distorts at most inside the frame, again without what a change of focal length would do.
double largestDistortionPx(const Intrinsics& lens, int width, int height);

/// Largest difference in px between two lenses in where they put an undistorted position, over the frame of `a`. 1e9
/// where `b` does not reach.
double largestDifferencePx(const Intrinsics& a, const Intrinsics& b, int width, int height);

}  // namespace va
