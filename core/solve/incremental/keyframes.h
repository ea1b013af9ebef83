// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "solve/incremental/observations.h"

namespace va {

/// Frames (indices) that carry the structure: a new one whenever the picture moved on by about a twenty-fifth of its
/// width, or a third of the features was lost, since the one before. Always holds the first and the last frame that see
/// enough.
/// `step`: the share of the width.
std::vector<int> chooseKeyframes(const Observations& s, double step = 1 / 25.0);

/// A pair of keyframes to start from.
struct StartPair {
    int a = 0, b = 0;  ///< frame indices
    int shared = 0;    ///< paths seen in both
    double parallax =
        0;  ///< px: upper-quartile distance from the homography that explains most; what a nodal pan can't explain
    double homographyShare = 0;  ///< share of shared paths that the homography explains to within a pixel
};

/// Keyframe pairs worth starting from, best first: much parallax, many shared paths. Every pair tried is listed.
std::vector<StartPair> rankStartPairs(const Observations& s, const std::vector<int>& keyframes, uint64_t seed);

/// Median length of the moves of shared paths between two frames, px; negative when fewer than eight are shared.
double medianMove(const Observations& s, int frameA, int frameB);

}  // namespace va
