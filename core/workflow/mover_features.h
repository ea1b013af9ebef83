// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"
#include "shot/shot.h"

namespace va {

/// More features for the movers. A scene's features are spread over the frame, so that a thing that fills a small part
/// of it gets few, and its rotation is told by those alone. For each solved mover with less than 160 of them, new
/// features are looked for densely among its own (inside of their outline in every frame) and tracked; those that move
/// as it does, to a point of its solve, become its own, and the rest is dropped, above all what stands still. A mover
/// that was only `proposed` goes where three of four features among its own stand still: then it is none. The mover is
/// solved anew with them, and stays as it was where none was won or the plate can't be read. Movers that cover much of
/// the frame, or whose solve has no depth, are left alone. Throws Cancelled.
Shot withMoverFeatures(const Shot& shot, Progress& progress, bool proposed = false);

/// Makes movers of what is found to move rigidly apart from the scene, solved, with features enough to tell how. Where
/// features that the camera's solve set aside are neighbours, more are tracked among them, and those that move together
/// are a mover. The camera's solve stays: it had set the paths aside by itself. Without a solved camera nothing is
/// found. Throws Cancelled.
Shot withMoversFound(const Shot& shot, Progress& progress);

}  // namespace va
