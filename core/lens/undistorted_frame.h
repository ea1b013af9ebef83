// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/plane.h"
#include "base/progress.h"
#include "lens/intrinsics.h"

namespace va {

/// The frame that holds the undistorted plate. Undistortion keeps focal length and principal point; barrel-distorted
/// plates then need a larger frame than they had.
struct UndistortedFrame {
    int width = 0, height = 0;  ///< px
    /// Where the plate's pixel (0, 0) would lie if nothing were distorted: undistorted position = plate position +
    /// margin.
    int left = 0, top = 0;
    Intrinsics undistorted;  ///< of the undistorted frame: without a lens, the principal point moved by the margins

    /// Angles of view in radians that belong to this frame.
    [[nodiscard]] double fieldOfViewX() const;
    [[nodiscard]] double fieldOfViewY() const;
};

enum class Overscan {
    none,  ///< the plate's own size: corners that would lie outside are lost
    whole  ///< as large as it takes to keep every pixel of the plate, even in width and height
};

/// Throws InputError where the lens folds over inside the plate (with the radius in px), or where the frame would
/// become more than `largest` times as wide or as high as the plate.
UndistortedFrame undistortedFrame(const Intrinsics& distorted, int width, int height, Overscan overscan,
                                  double largest = 3);

/// Where each pixel of a picture comes from: source px; NaN where there is nothing to show.
struct PixelMap {
    Plane<float> x, y;
};

/// For every pixel of the undistorted frame its position in the plate.
PixelMap undistortionMap(const Intrinsics& distorted, const UndistortedFrame& frame, int plateWidth, int plateHeight);

/// For every pixel of the plate its position in the undistorted frame; NaN where the lens folds over or the frame ends.
PixelMap redistortionMap(const Intrinsics& distorted, const UndistortedFrame& frame, int plateWidth, int plateHeight);

}  // namespace va
