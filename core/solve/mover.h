// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "base/progress.h"
#include "solve/solve_request.h"
#include "solve/solve_result.h"
#include "track/path.h"

namespace va {

/// What a mover is solved by: `request` of the scene with the lens of `camera`, as far as that has one, taken as known.
SolveRequest moverRequest(const SolveResult& camera, const SolveRequest& request);

/// Fit in px, root mean square, up to which a mover fits as well as the scene does: 1.6 times the scene's, or a usual
/// one's before a camera that stands.
double goodMoverFit(const SolveResult& camera, const SolveRequest& request);

/// A rigid thing with a motion of its own is solved as if it stood still and the camera moved around it: what a lens
/// sees depends on nothing but where the two stand to each other. Its size against the scene is free and has to come
/// from elsewhere.
///
/// `ids` are its paths; `camera` is the solve of the scene, whose lens is taken as known (a camera that was found to
/// stand still has no lens from there: then it is solved with the mover). `request` says frames, picture size, seed and
/// what is known. Until it fits well it is drawn, `draws` times at most (0: not at all), and compared with
/// what becomes of an earlier solve `from` of most of the paths. The result is a solve like any other: its frames are
/// the camera's poses in the mover's own space, its points lie there. Motion::none with a trouble where there is no
/// solve.
SolveResult solveMover(const SolveResult& camera, const std::vector<Path>& paths, const std::vector<int>& ids,
                       const SolveRequest& request, Progress& progress, const SolveResult* from = nullptr,
                       int draws = 3);

/// A mover's solve without the frames that fewer than five of its features hold: there it may stand anywhere. They are
/// left in by solveMover(), since features that are found around them may hold them.
SolveResult withHeldFrames(SolveResult mover);

/// Where the mover stands in the world of `camera`: its own axes, with the middle of its points as position, when one
/// unit of its space is `scale` units of the world. Nothing in frames where either was not solved.
std::optional<CameraPose> moverPose(const CameraTrack& camera, const SolveResult& mover, int frame, double scale);

/// Middle of the mover's points in its own space.
Eigen::Vector3d moverMiddle(const SolveResult& mover);

/// Whether the mover's points are less than a thirtieth as deep, in their flattest direction, as they are long; also
/// where there are none.
bool liesOnPlane(const SolveResult& mover);

/// What makes a solved mover doubtful, in words; empty when nothing does. `paths`: how many it was given.
std::string moverDoubt(const SolveResult& mover, int paths);

/// The scale at which the mover's lowest points stand on the plane through the origin with the unit normal `up`, in the
/// world of `camera`: the smallest over its points, so that none sinks in; the median over frames. Nothing when no
/// point lies below the camera.
std::optional<double> scaleOnGround(const SolveResult& camera, const SolveResult& mover, const Eigen::Vector3d& up,
                                    double groundAt);

}  // namespace va
