// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>
#include <vector>

#include "ground/photo_match.h"

namespace va {

/// Which of a picture's straight lines lie along three directions at right angles, and which direction is upright:
/// samples of lines propose two vanishing points and the focal length that makes them those of directions at right
/// angles (given one: a vanishing point and a line), the third follows; the proposal that most of the lines' length
/// agrees with wins (a Manhattan world: Coughlan & Yuille, ICCV 1999; lines instead of pixels). Cameras that are rolled
/// by more than 30° or look up or down by more than 55° are not proposed.
///
/// Gives the lines that agree, with their axes: Y upright, Z towards the camera, X across. Empty where less than two
/// directions have three lines each: a picture without such edges. The draw is seeded.
std::vector<PhotoLine> sortLines(const std::vector<PictureLine>& lines, const PhotoEvidence& evidence,
                                 uint64_t seed = 1);

}  // namespace va
