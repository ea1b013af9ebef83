// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "shot/shot.h"

namespace va {

// What the Ground step does with a shot besides building its world (match_shot.h, withGround).

/// The line laid on the edge that runs along it in the picture; the line itself where there is none. Throws InputError
/// where the frame has no picture.
PictureLine lineAlongEdge(const Shot& shot, const PictureLine& stroke);

/// The features of a shot that have names which points of another shot's file have as well (a project with a level
/// world, or a camera.json), with their positions there. Throws InputError: unreadable, fewer than three names in
/// common.
std::vector<SharedPoint> sharedPoints(const Shot& shot, const std::string& file);

/// Solved features that lie inside a patch in the frames where both are seen, for a plane through what the patch
/// follows; of a patch that was not tracked yet in its reference frame. Empty where there is no depth.
std::vector<int> pathsOnPatch(const Shot& shot, const FlatPatch& patch);

}  // namespace va
