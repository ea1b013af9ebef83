// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <vector>

#include "base/progress.h"
#include "solve/solve_request.h"
#include "solve/solve_result.h"
#include "track/path.h"

namespace va {

/// A mover with what it was solved from.
struct SolvedMover {
    std::vector<Path> paths;
    SolveResult solve;
};

/// What was refined together, each in the world that it had.
struct SolvedTogether {
    SolveResult camera;
    std::vector<SolveResult> movers;  ///< in their order; one that had no free solve as it was
};

/// The scene's camera, the movers before it and the lens that all of them are seen through, refined in one bundle.
///
/// Where a mover stands to the camera is its own in every frame, so the lens is all that the two share: with a lens
/// that the scene tells well, one after the other is the same as together. Together they are solved where the movers
/// make the focal length surer by more than a seventh, as a thing that turns does before a camera of little parallax,
/// and where two or more move before a camera that stands. Each part counts by how far its errors go together
/// (SolveDiagnostics::errorsTogether and the jackknife over its paths). The deviations that are stated are those of the
/// surest part: its errors and the others' come from the same plate and tracker, and where it is unknown how much two
/// estimates have in common no less is sure (covariance intersection, Julier & Uhlmann, American Control Conference
/// 1997).
///
/// `scene`: the paths that `camera` was solved from; `request` is the scene's. Nothing where that is not so, where the
/// focal length is given, for zooms and pans, and where check points hold the scene.
std::optional<SolvedTogether> solvedTogether(const SolveResult& camera, const std::vector<Path>& scene,
                                             const std::vector<SolvedMover>& movers, const SolveRequest& request,
                                             Progress& progress);

}  // namespace va
