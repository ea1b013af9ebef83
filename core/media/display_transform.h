// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "media/plate_source.h"

namespace va {

/// Scene-linear light to a display value: the sRGB transfer curve of IEC 61966-2-1. Below 0 gives 0, above 1 gives 1,
/// NaN gives 0.
float displayFromLinear(float light);

/// The way back: display value to light. Above 1 the curve goes on; below 0 gives 0.
float linearFromDisplay(float value);

/// Stored value to scene-linear light, and back; both go on beyond white.
float lightOf(float stored, PictureEncoding encoding);
float storedOf(float light, PictureEncoding encoding);

/// Printing-density code value (0..1 of the 10-bit range) to scene-linear light: black at 95, white at 685, 0.002
/// density per code value, negative gamma 0.6 (Kodak Cineon system, "Grayscale Transformations of Cineon Digital Film
/// Data", 1993).
float linearFromLog(float code);

/// A display value 0..1 for a stored value in the given encoding.
float displayValue(float stored, PictureEncoding encoding);

}  // namespace va
