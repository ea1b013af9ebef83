// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <vector>

#include "solve/incremental/solve_question.h"

namespace va {

/// A nodal pan that looked like a free move, and why.
struct PanFound {
    RotationSolve rotation;
    PanCause cause = PanCause::noise;
};

/// Whether a free solve that leaves `freeRmsPx` is a nodal pan seen through a lens that is not as it was taken to be: a
/// free camera has enough numbers to make up for what the lens does. Tried in turn over `frames` (in order, neighbours
/// share paths): the same lens, zooming or not, where the paths are so noisy that nothing tells the two apart; a
/// principal point outside of the middle, as a cropped plate has it; another pixel aspect (golden-section search over
/// 0.5 to 2). The latter two only count when they bring the error of the pan down by a third and to the noise of the
/// paths. `asIs` is the pan with the lens as it was taken; it may be one that was not found. Nothing where the move is
/// free, or so far from a pan that no lens makes up for it.
std::optional<PanFound> panByOtherLens(const SolveQuestion& q, const std::vector<FrameIndex>& frames,
                                       const RotationSolve& asIs, double freeRmsPx);

}  // namespace va
