// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "shot/shot.h"

namespace va {

/// True where a lens distorts so much that features deform on their way across the frame: by more than a fiftieth of
/// its width, beyond what a change of focal length does.
bool distortsStrongly(const Intrinsics& lens, int width, int height);

/// True where the whole plate has a position in an undistorted frame: the lens does not fold over, and the frame is no
/// giant.
bool canBeUndistorted(const Intrinsics& lens, int width, int height);

/// The lens that is taken out of the pictures before features are tracked, where that is decided already: nothing for
/// the plate as it is.
struct TrackingLens {
    bool decided = false;
    std::optional<Intrinsics> lens;
};

/// The lens by which the plate is to be straight before features are tracked, or nothing where they are tracked
/// on the plate as it is: the given one where the artist asked for it or it distorts strongly; with an unknown
/// distortion, what the straight edges of the range's middle frame tell, where that is strong and sure. It need not be
/// exact: paths go back through the same lens that the picture went forth. `source` is read once at most. A lens that
/// can't be straight comes back only where the artist asked for the undistorted picture: trackUndistorted() then
/// says why it can't be.
std::optional<Intrinsics> lensToTrackBy(const Shot& shot, PlateSource& source);

}  // namespace va
