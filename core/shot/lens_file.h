// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "lens/intrinsics.h"

namespace va {

/// A lens that can be used on other shots: its bend, and for which picture its focal length and principal point hold.
struct LensFile {
    Intrinsics intrinsics;
    int width = 0, height = 0;  ///< px of the picture that it was found in; 0 = not known
    std::string source;         ///< where the numbers come from, for people
    double rmsPx = -1;          ///< of the calibration; negative = none

    /// The same lens on a picture of another size that shows the same part of the sensor.
    [[nodiscard]] Intrinsics forSize(int pictureWidth, int pictureHeight) const;
};

/// "vivid-anchor-lens" files (docs/formats.md).
std::string writeLensFile(const LensFile& lens);

/// Reads a lens file, or a camera.json, whose first frame's focal length counts. Throws InputError naming what is
/// wrong.
LensFile readLensFile(const std::string& path);

}  // namespace va
