// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <memory>

#include "base/progress.h"
#include "shot/shot.h"
#include "track/track.h"

namespace va {

/// The parts of a match, each from a shot to the next one. A shot is never changed; what a part made is in the one
/// returned. All throw Cancelled when asked to stop, and InputError when the plate can't be read.

/// The shot on a plate that was opened with these overrides (choicesForOpening), with what it says filled in; the work
/// range becomes the whole plate when it was empty or lies outside.
Shot withOpenedPlate(const Shot& shot, const PlateInfo& plate, const PlateOverrides& overrides = {});

/// What of the overrides decides which pictures a plate has; its own rate and shape are wanted beside the artist's.
PlateOverrides choicesForOpening(const PlateOverrides& overrides);

/// Opens the plate and fills in what it says; the work range becomes the whole plate when it was empty.
Shot withPlate(const Shot& shot, const std::string& spec, const PlateOverrides& overrides = {},
               Progress* progress = nullptr);

/// What the shot asks of the solver.
SolveRequest solveRequestFor(const Shot& shot);

/// Solves from the paths that no mover has and then the movers, then levels with the shot's ground choices.
Shot withSolve(const Shot& shot, Progress& progress);

/// The same from where the shot's solve stands, which is quick: after edits.
Shot withSolveUpdated(const Shot& shot, Progress& progress);

/// Camera and movers refined together, where movers tell the lens that they share notably better than the camera alone
/// does (solve/shared_lens.h); the ground follows. Unchanged where they do not, where something is stale, and for a
/// camera from elsewhere.
Shot withSharedLens(const Shot& shot, Progress& progress);

/// Finds what the shot and its reference stills have in common, and solves with it; the ground and movers follow.
Shot withStillsFound(const Shot& shot, Progress& progress);

/// Check points that the solve is asked to use, in the order of its reports.
std::vector<const CheckPoint*> usedCheckPoints(const Shot& shot);

/// The shot with these edits of the camera's path, and no others.
Shot withCameraPathEdits(const Shot& shot, const std::vector<PathEdit>& edits);

/// The shot with other ground choices.
Shot withGround(const Shot& shot, const GroundSpec& spec);

/// The automatic run over all steps up to a first ground. Of one picture it is the photo match (photo_work.h). Else:
/// tracks what has to be tracked, and solves. Where the solve then knows the focal length to no better than a ninth
/// of a percent, and density is "normal", more features are tracked. With care "careful" the solve guides a second
/// track, and is made anew from what that found. On cancel, `soFar` (if given) holds what was reached, without a
/// ground. `reached` gets the first camera over all frames as soon as it stands, and again when it is refined, with a
/// ground and marked as preliminary.
Shot matchShot(const Shot& shot, Progress& progress, Shot* soFar = nullptr,
               const std::function<void(const Shot&)>& reached = {});

}  // namespace va
