// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "shot/shot.h"

namespace va {

/// Where a patch stands in a frame: axes as Hang::On::patch has them. Its corners lie on a plane in its reference
/// frame; in each other frame it is turned and moved as the tracked region says (least squares over nine of its
/// points).
///
/// The plane goes through the solved features on the patch. A patch that moves by itself has none: its slant is told by
/// how its picture changes (ground/region_slant.h), and its distance is taken to be that of the solved features around
/// it, since no picture tells size from distance. Nothing where the patch was not found, or nothing is solved around
/// it.
std::optional<Similarity> patchAxes(const Shot& shot, const FlatPatch& patch, int frame);

/// Whether the distance of a patch is an assumption: there is no plane of solved features on it.
bool patchDistanceAssumed(const Shot& shot, const FlatPatch& patch);

}  // namespace va
