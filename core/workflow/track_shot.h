// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"
#include "shot/shot.h"
#include "workflow/undistort_first.h"

namespace va {

/// What bringing the paths up to date takes.
enum class TrackWork {
    none,        ///< they are
    exclusions,  ///< only masks changed: points are covered or uncovered, freed positions looked at
    grow,        ///< only the range grew: new frames alone
    all          ///< plate, density or care changed, or there are none yet
};
TrackWork trackWorkFor(const Shot& shot);

/// Brings the automatic paths up to date with the least work. Paths by hand stay as they are, and so do the frames that
/// were tracked before when only the range or the masks changed; shrinking the range takes no work. On cancel, `soFar`
/// (if given) gets the shot with the paths up to there. lensToTrackBy() decides what is taken out of the pictures
/// first, unless `by` is decided. Throws InputError (range without pictures, plate or mask that can't be read) and
/// Cancelled.
Shot withPaths(const Shot& shot, Progress& progress, Shot* soFar = nullptr, const TrackingLens& by = {});

/// Tracks everything anew, whatever is up to date. `by` as above.
Shot withPathsAnew(const Shot& shot, Progress& progress, Shot* soFar = nullptr, const TrackingLens& by = {});

/// The shot with more automatic paths: those that it has stay, and as many as `density` asks for are looked for between
/// them. Nothing changes where the paths are as dense already. `by` as above. Throws as withPaths.
Shot withMorePaths(const Shot& shot, Density density, Progress& progress, const TrackingLens& by = {});

/// Paths that begin in `frame`, tracked from there to both ends of the range; those that are lost at once stay as they
/// are. Counts as one unit of progress a frame. Throws as withPaths.
std::vector<Path> pathsTrackedFrom(const Shot& shot, std::vector<Path> paths, int frame, Progress& progress);

/// Guided track: with a solve, lost features are looked for where the solve expects them, and pieces are joined.
/// `sentence`, if given, tells what was won. Without a solve the shot comes back as it was, and the sentence says so.
Shot withGuidedTrack(const Shot& shot, Progress& progress, std::string* sentence = nullptr);

/// Marks the points that masks cover now, in all frames of the paths.
Shot withExclusionsApplied(const Shot& shot, Progress& progress);

}  // namespace va
