// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <string>
#include <vector>

#include "base/plane.h"
#include "base/progress.h"
#include "track/feature_tracker.h"
#include "track/path.h"

namespace va {

/// What a track by hand is asked to do.
struct HandTrackRequest {
    Path path;                ///< has a point in the first of `frames`; points by hand are its keys
    std::vector<int> frames;  ///< from where to where, in order of tracking: rising or falling, the start included
    std::function<Luma(int)> read;
    double lowestQuality = 0.8;  ///< where tracking stops; artists often want to go on with poor matches and mend later
};

struct HandTrackResult {
    Path path;
    int reached = 0;      ///< last frame in the direction asked for in which the feature was seen
    std::string stopped;  ///< why it went no farther, as a sentence for the artist; empty when it went all the way
};

/// Tracks one feature from key to key. The reference is the patch at the nearest key behind, in the direction of
/// tracking. Where another key lies ahead, the stretch between the two is tracked from both and blended by distance,
/// so that the path goes through every key exactly, without a step. Points by hand are never moved.
///
/// The path's radius, search radius and motion model are used; 0 lets the program choose. Degenerate input: no texture
/// around the key, or the patch hanging out of the picture, gives the path back unchanged with `stopped` saying so.
/// Throws InputError from `read`, and Cancelled.
HandTrackResult trackByHand(HandTrackRequest request, Progress& progress);

/// Takes a hidden spot along with its neighbours: in the frames where `path` has no point, its position follows from
/// the nearest frames where it has one, by what the neighbours did in between: one neighbour gives a translation, two a
/// similarity, three or more an affine move (least squares). Between two known frames both sides are blended.
/// Frames that too few neighbours reach stay empty. Such points have origin `carried` and a covariance that grows with
/// the distance to the neighbours.
Path carriedAlong(const Path& path, const std::vector<const Path*>& neighbours, const std::vector<int>& frames);

/// Measures every point of a path anew against one reference: the patch in `referenceFrame`. Starts there and works
/// outward, the path as it was serving as prediction. Points that no longer fit the reference keep what they had. The
/// path comes back with one reference and without the drift of re-taken ones where it fits. `frames` must hold the
/// path's frames; they are read twice. Gives the path unchanged if the reference can't be used.
Path reanchored(const Path& path, int referenceFrame, const std::vector<int>& frames,
                const std::function<Luma(int)>& read, Progress& progress);

}  // namespace va
