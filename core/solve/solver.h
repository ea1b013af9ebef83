// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "base/progress.h"
#include "solve/constraints/known_measure.h"
#include "solve/solve_result.h"
#include "track/path.h"

namespace va {

/// How far a value is known.
enum class Known { unknown, start, known };

/// What the artist says about the move; by default the paths decide.
enum class MoveChoice { automatic, free, nodalPan, lockedOff };

/// Whether the focal length changes in the shot.
enum class ZoomChoice { automatic, constant, zooms };

struct SolveRequest {
    std::vector<int> frames;    ///< frame numbers that have a picture, in order
    int width = 0, height = 0;  ///< px
    double pixelAspect = 1;
    Known focal = Known::unknown;
    double focalPx = 0;  ///< when not unknown; of a zoom: at its start
    MoveChoice move = MoveChoice::automatic;
    ZoomChoice zoom = ZoomChoice::automatic;  ///< a known focal length does not zoom unless it is said to
    /// Unknown and start: the first two radial numbers of the model are solved (an anamorphic lens's four); known:
    /// stays as it is.
    Known distortion = Known::unknown;
    LensModel lens;  ///< the kind counts where distortion is unknown
    Known principal = Known::known;
    Eigen::Vector2d principalOffset{0, 0};  ///< px from the middle of the picture
    std::vector<double> focalByFrame;       ///< px, one a frame: a zoom that is known; `focal` is known then
    /// Rolling shutter: frames from the first row's reading to the last one's. Unknown: all rows at once, unless the
    /// paths speak against it; then it is solved. Start: it is solved, from `readout`. Known: as given, 0 for all at
    /// once.
    Known readoutKnown = Known::unknown;
    double readout = 0;
    std::vector<KnownMeasure> measures;  ///< check points: what is known of places, used by free moves
    bool fewPaths = false;               ///< a thing in the picture, not the scene: asks for fewer
    double heldBackShare = 0.1;          ///< of the paths, for the check error
    uint64_t seed = 1;
};

/// From paths to cameras and points. The method is the one of docs/methods.md: does a nodal pan explain the paths? If
/// so, a rotation- only solve (or none, for a camera that does not move). Else start pairs are ranked by parallax,
/// several focal lengths tried, the best start grown over keyframes and then over all frames, and bundled with the
/// lens; outliers are set aside with a reason.
///
/// The world is the first solved camera's: at the origin, looking down −Z; the median depth of the points is ten units.
/// Bad input never throws: `trouble` says what is missing. Throws Cancelled. Equal input gives the equal result.
SolveResult solveShot(const std::vector<Path>& paths, const SolveRequest& request, Progress& progress);

/// Brings a solve up to date after an edit, from where it was: cameras and points that it has are kept as a start, new
/// frames and paths are added, and all is refined with the request as it is now. A tenth of the time of a solve from
/// nothing. The world stays: the first camera where it was, and the middle of things as far away. What was held back
/// for the check error stays held back, so that errors before and after can be compared.
///
/// Only for free moves of the same kind of lens; where `from` is another, or nothing of it is left, it solves anew.
SolveResult updateSolve(const std::vector<Path>& paths, const SolveRequest& request, const SolveResult& from,
                        Progress& progress);

}  // namespace va
