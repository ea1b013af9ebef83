// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "solve/incremental/observations.h"
#include "solve/incremental/thresholds.h"

namespace va {

/// Frames (indices) that carry the structure: a new one whenever the picture moved on by about a twenty-fifth of its
/// width, or a third of the features was lost, since the one before. Always holds the first and the last frame that see
/// enough.
/// `step`: the share of the width.
std::vector<FrameIndex> chooseKeyframes(const Observations& s, double step = limits::keyframeStep);

/// A pair of keyframes to start from.
struct StartPair {
    FrameIndex a, b;
    int shared = 0;  ///< paths seen in both
    /// px: upper-quartile distance from the homography that explains most; what a nodal pan can't explain.
    double parallax = 0;
    double homographyShare = 0;  ///< share of shared paths that the homography explains to within a pixel
};

/// Keyframe pairs worth starting from, best first: much parallax, many shared paths. Every pair tried is listed.
std::vector<StartPair> rankStartPairs(const Observations& s, const std::vector<FrameIndex>& keyframes, uint64_t seed);

/// Median length of the moves of shared paths between two frames, px; negative when fewer than eight are shared.
double medianMove(const Observations& s, FrameIndex frameA, FrameIndex frameB);

}  // namespace va
