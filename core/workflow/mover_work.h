// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"
#include "shot/shot.h"

namespace va {

/// A new mover made of some paths (those of other movers are left out), not solved yet. Throws InputError when none are
/// left.
Shot withMover(const Shot& shot, const std::vector<int>& paths, const std::string& name = "");

/// Solves the movers whose paths or camera changed since. Without a solved camera they are left as they are.
Shot withMoversSolved(const Shot& shot, Progress& progress);

/// The same, with the frames at the ends that little holds, for a search that goes on from them; keepHeldFrames() takes
/// them away (withHeldFrames() in solve/mover.h).
Shot withMoversSolvedWhole(const Shot& shot, Progress& progress);
void keepHeldFrames(Mover& mover);

/// A camera that stands tells nothing of its lens; what moves before it does. The shot with the lens of the mover that
/// is surest of it; unchanged where the camera moves, its focal length is given, or no mover tells it within 10 %.
Shot withLensOfMovers(const Shot& shot);

/// The mover becomes the scene, its solve the camera's, and what was the scene becomes a mover, "Surroundings", that is
/// not solved yet. A mover without a solve leaves the camera's as it is, to be solved anew. Throws InputError for an id
/// that is not there.
Shot withSceneSwapped(const Shot& shot, int mover);

/// How much of the picture something covers, and how it moves.
struct MotionShare {
    double covered = 0;        ///< share of the picture's cells in which most features are its own, mean over frames
    double turnedDegrees = 0;  ///< widest rotation between two of them; 0 where it was not solved
};
/// By two dozen frames of the range. The first is the scene's, then one a mover.
std::vector<MotionShare> motionShares(const Shot& shot);

/// Units of the solve's world for one unit of the mover's space, as its choice says; where that can't be had (no
/// ground, no such points), the size at which it stands as far away as the middle of things. `sure`: false then.
double moverScale(const Shot& shot, const Mover& mover, bool* sure = nullptr);

/// Where a mover stands in the world in a frame, its middle and its own axes.
std::optional<CameraPose> moverWorldPose(const Shot& shot, const Mover& mover, int frame);

/// Its points in its own axes, from its middle, in world units.
std::vector<std::pair<int, Eigen::Vector3d>> moverPoints(const Shot& shot, const Mover& mover);

/// One sentence on a mover: frames, points, fit, where its size comes from, and what is doubtful.
std::string moverVerdict(const Shot& shot, const Mover& mover);

}  // namespace va
