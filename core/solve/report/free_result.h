// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "solve/incremental/reconstruction.h"
#include "solve/incremental/solve_question.h"
#include "solve/solve_result.h"

namespace va {

/// Takes a free reconstruction over into the result: cameras, points and what the artist is told of both, in the
/// program's world. That is the first solved camera's, with ten units to the median depth of the points; or, where
/// `from` is brought up to date, the one that things were laid out in. Frames that are left without a camera are turned
/// onto their neighbours where that explains them. `result.frames` holds an entry for every frame of the question.
/// `disagreement`: of the paths, a factor on top of what their errors say by themselves.
void takeFree(const Reconstruction& r, const SolveQuestion& question, const SolveResult* from, double disagreement,
              SolveResult& result);

}  // namespace va
