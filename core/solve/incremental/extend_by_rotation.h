// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "solve/incremental/reconstruction.h"
#include "solve/solve_result.h"

namespace va {

/// Frames that no placed point leads to, because the camera has stopped and only rotates there: their rotation is
/// solved against the frames next to them, from all paths that they share, and the position is kept. `frames`: one a
/// frame of the observations, in order, with the solved ones filled in; those that can be turned onto them become
/// PoseOrigin::turned. Frames that share too few paths, or that a nodal pan explains for less than seven tenths of
/// them, stay as they are.
void extendByRotation(const Reconstruction& r, std::vector<SolvedFrame>& frames);

}  // namespace va
