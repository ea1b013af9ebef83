// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>

#include "solve/incremental/reconstruction.h"
#include "solve/incremental/solve_question.h"
#include "solve/solve_result.h"

namespace va {

/// A reconstruction that stands where an earlier solve stood: its cameras, its lens where that is not known by now, and
/// its points, as far as their paths are still there. Null where too little of it is left, or where the question asks
/// for another kind of move or lens.
std::unique_ptr<Reconstruction> resumed(const SolveQuestion& question, const SolveResult& from);

/// Holds back the same paths as an earlier solve, so that the check error stays that of the same ones; where that held
/// back none, those that the question has drawn.
void holdBackAs(const SolveResult& from, SolveQuestion& question);

}  // namespace va
