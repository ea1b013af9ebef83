// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>

#include "lens/lens_model.h"

namespace va {

/// Inner geometry of a camera: how directions become pixels. `focalPx` counts rows; columns count focalPx /
/// pixelAspect.
struct Intrinsics {
    double focalPx = 1000;
    double pixelAspect = 1;
    Eigen::Vector2d principalPoint{0, 0};  ///< px
    LensModel lens;
    bool operator==(const Intrinsics&) const = default;

    /// Pixel of the undistorted normalised point (x right, y down, at distance 1).
    [[nodiscard]] Eigen::Vector2d pixelFromNormalised(const Eigen::Vector2d& undistorted) const {
        return pixelFromDistorted(lens.distort(undistorted));
    }
    /// Undistorted normalised point of a pixel; nothing where the lens model folds over.
    [[nodiscard]] std::optional<Eigen::Vector2d> normalisedFromPixel(const Eigen::Vector2d& pixel) const {
        return lens.undistort(distortedFromPixel(pixel));
    }
    /// The same without the lens: where film back and picture plane meet.
    [[nodiscard]] Eigen::Vector2d pixelFromDistorted(const Eigen::Vector2d& distorted) const {
        return {focalPx / pixelAspect * distorted.x() + principalPoint.x(),
                focalPx * distorted.y() + principalPoint.y()};
    }
    [[nodiscard]] Eigen::Vector2d distortedFromPixel(const Eigen::Vector2d& pixel) const {
        return {(pixel.x() - principalPoint.x()) * pixelAspect / focalPx, (pixel.y() - principalPoint.y()) / focalPx};
    }
};

}  // namespace va
