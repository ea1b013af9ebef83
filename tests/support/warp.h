// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <functional>

#include "base/plane.h"

namespace va::test {

/// A photo as display luma, softened a little so that it holds nothing finer than sampling can carry.
Luma loadPhoto(const std::string& name);

/// The picture seen through `sourceOf` (output pixel → photo pixel), sampled with an eight-tap Lanczos kernel at the
/// exact positions: unlike library warps, which round positions to a 32nd of a pixel. Noise of `sigma` grey levels is
/// added. Outside is mid grey.
Luma warped(const Luma& photo, int width, int height,
            const std::function<Eigen::Vector2d(const Eigen::Vector2d&)>& sourceOf, double sigma, unsigned seed);

/// Turn by `angle` and zoom by `zoom` around the middle: where a photo pixel goes, and where an output pixel comes
/// from.
struct RotationZoom {
    Eigen::Vector2d middle;
    double angle = 0, zoom = 1;
    Eigen::Vector2d shift = Eigen::Vector2d::Zero();
    [[nodiscard]] Eigen::Vector2d forward(const Eigen::Vector2d& p) const;
    [[nodiscard]] Eigen::Vector2d back(const Eigen::Vector2d& p) const;
};

}  // namespace va::test
