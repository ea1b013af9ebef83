// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/picture.h"
#include "lens/undistorted_frame.h"

namespace va {

/// A pixel map as compositing programs take it (common practice): red = s, green = t, the position in the source
/// picture as shares of its width and height, from the lower left corner of its lower left pixel, for the middle of
/// each pixel. To be kept as 32-bit float. Alpha is 1 where the map says something and 0 where not; s and t are −1
/// there.
///
///     s = (x + 1/2) / width,   t = 1 − (y + 1/2) / height
Picture stmapOf(const PixelMap& map, int sourceWidth, int sourceHeight);

/// The inverse: the pixel map of an STMap for a source of this size.
PixelMap mapOfStmap(const Picture& stmap, int sourceWidth, int sourceHeight);

}  // namespace va
