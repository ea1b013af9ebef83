// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "shot/shot.h"

namespace va {

struct MaskSuggestion {
    MaskShape shape;      ///< ready to be added; not in the shot yet
    std::string reason;   ///< a sentence for the artist
    bool moving = false;  ///< moves on its own; else at infinity
    int paths = 0;
};

/// After a solve: regions whose paths the solve could not use although they are long and clean, close together and
/// moving alike (things with a motion of their own), and regions whose points lie so far that the camera's whole move
/// changes their angle by less than a fifth of a pixel's (they only help the rotation, and carry no parallax). Each is
/// outlined by the hull of its paths, grown by a patch, with a key about every 12 frames. At least five paths make a
/// region. Without a solve with depth there are none.
std::vector<MaskSuggestion> suggestMasks(const Shot& shot);

}  // namespace va
