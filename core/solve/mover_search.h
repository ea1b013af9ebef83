// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <vector>

#include "base/progress.h"
#include "solve/solve_request.h"
#include "solve/solve_result.h"
#include "track/path.h"

namespace va {

struct MoverProposal {
    std::vector<int> ids;  ///< paths that move together
    SolveResult solve;
};

/// Paths that the camera's solve did not use, that agree with one another on a motion of their own, and that lie among
/// their like in the picture: a quick look at whether proposeMovers() is worth its time. Empty where there are fewer
/// than sixteen, and fewer than seven in one place.
std::vector<int> pathsMovingTogether(const SolveResult& camera, const std::vector<Path>& paths,
                                     const std::vector<int>& taken, const SolveRequest& request);

/// Where something may move by itself: groups of paths that the camera's solve set aside and that are neighbours in the
/// picture for as long as they are seen together. Nothing says yet that they move rigidly: more features among them
/// tell. At least four paths each, largest first, six groups at most. None for a camera that stands: all that moves
/// before it is one group.
std::vector<std::vector<int>> moverHints(const SolveResult& camera, const std::vector<Path>& paths,
                                         const std::vector<int>& taken, const SolveRequest& request);

/// The largest group among some paths that moves rigidly, as proposeMovers() finds it. Nothing where there is none.
std::optional<MoverProposal> proposeMover(const SolveResult& camera, const std::vector<Path>& paths,
                                          const std::vector<int>& candidates, const SolveRequest& request,
                                          Progress& progress);

/// Groups among the paths that the camera's solve set aside which move rigidly, each with a motion of its own: paths
/// that agree on one epipolar geometry with the known lens over many pairs of frames, and then are solved as a mover
/// with at least eight points. Largest first. Paths of `taken` are left out.
std::vector<MoverProposal> proposeMovers(const SolveResult& camera, const std::vector<Path>& paths,
                                         const std::vector<int>& taken, const SolveRequest& request,
                                         Progress& progress);

}  // namespace va
