// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "lens/intrinsics.h"

namespace va {

/// A lens that can be used on other shots: its distortion, and for which picture its focal length and principal point
/// hold.
struct LensFile {
    Intrinsics intrinsics;
    int width = 0, height = 0;  ///< px of the picture that it was found in; 0 = not known
    std::string source;         ///< where the numbers come from, for people
    double rmsPx = -1;          ///< of the calibration; negative = none
    /// A zoom lens: what is known at some of its focal lengths, in rising order of mm. `intrinsics` is then the first.
    struct Stop {
        double focalMm = 0;
        Intrinsics intrinsics;
    };
    std::vector<Stop> stops;
    /// Nobody knows the focal length: the distortion was found in the picture and holds, in px, for the one that stands
    /// here.
    bool focalAssumed = false;

    /// A zoom lens at a focal length between its stops. The distortion is interpolated as it is seen, over the
    /// picture's radius: in the logarithm of the focal length, each number for its radius in px. Throws InputError
    /// beyond the outermost stops (by more than 2 %), where nothing is known. The lens itself where it has no stops.
    [[nodiscard]] LensFile at(double focalMm) const;

    /// The same lens on a picture of another size that shows the same part of the sensor.
    [[nodiscard]] Intrinsics forSize(int pictureWidth, int pictureHeight) const;
};

/// "vivid-anchor-lens" files (docs/formats.md).
std::string writeLensFile(const LensFile& lens);

/// Reads a lens file, or a camera.json, whose first frame's focal length counts. Throws InputError naming what is
/// wrong.
LensFile readLensFile(const std::string& path);

/// One zoom lens from lens files at several focal lengths (mm in the same order). Throws InputError where they are of
/// different picture sizes or models, or two are of one focal length.
LensFile zoomLensOf(const std::vector<LensFile>& files, const std::vector<double>& focalsMm);

}  // namespace va
