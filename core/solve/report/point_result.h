// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "solve/incremental/reconstruction.h"
#include "solve/similarity.h"
#include "solve/solve_result.h"

namespace va {

/// The points of a free reconstruction, laid out by `world`: one a path, with the check error on those held back, and
/// what was not used with the reason. `result.rmsPx` is known.
void takePoints(const Reconstruction& r, const Similarity& world, SolveResult& result);

}  // namespace va
