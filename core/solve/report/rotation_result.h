// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"
#include "solve/incremental/rotation_only.h"
#include "solve/incremental/solve_question.h"
#include "solve/solve_result.h"

namespace va {

/// A camera that stands: the same pose in every frame of the result, and the paths that move although it does.
void takeFixed(const SolveQuestion& question, SolveResult& result);

/// Rotations for all frames: the keyframes' directions stay, every frame is turned onto them, then all are bundled once
/// more. A nodal pan with a rolling shutter was solved over all frames already. `by`: the question's observations
/// with what is not to be solved by held back.
void takeRotation(const RotationSolve& onKeyframes, const Observations& by, const SolveQuestion& question,
                  Progress& progress, SolveResult& result);

}  // namespace va
