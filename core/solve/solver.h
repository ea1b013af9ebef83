// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <vector>

#include "base/progress.h"
#include "solve/solve_request.h"
#include "solve/solve_result.h"
#include "track/path.h"

namespace va {

/// From paths to cameras and points. The method is the one of docs/methods.md: does a nodal pan explain the paths? If
/// so, a rotation-only solve (or none, for a camera that does not move). Else start pairs are ranked by parallax,
/// several focal lengths tried, the best start grown over keyframes and then over all frames, and bundled with the
/// lens; outliers are set aside with a reason.
///
/// The world is the first solved camera's: at the origin, looking down −Z; the median depth of the points is ten units.
/// Bad input never throws: `trouble` says what is missing. Throws Cancelled. Equal input gives the equal result.
///
/// `reached` is told of a free camera over all frames as soon as there is one, marked as preliminary: its lens is half
/// settled, no deviations are stated, and it may still turn out to be of another kind. It runs on the calling thread.
SolveResult solveShot(const std::vector<Path>& paths, const SolveRequest& request, Progress& progress,
                      const std::function<void(const SolveResult&)>& reached = {});

/// Brings a solve up to date after an edit, from where it was: cameras and points that it has are kept as a start, new
/// frames and paths are added, and all is refined with the request as it is now. A tenth of the time of a solve from
/// nothing. The world stays: the first camera where it was, and the middle of things as far away. What was held back
/// for the check error stays held back, so that errors before and after can be compared.
///
/// Only for free moves of the same kind of lens; where `from` is another, or nothing of it is left, it solves anew.
SolveResult updateSolve(const std::vector<Path>& paths, const SolveRequest& request, const SolveResult& from,
                        Progress& progress);

}  // namespace va
