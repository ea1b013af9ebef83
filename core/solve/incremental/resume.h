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

}  // namespace va
