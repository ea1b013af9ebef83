// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "solve/solve_result.h"
#include "track/path.h"

namespace va {

/// What the artist does to a solved camera's path by hand.
struct PathEdit {
    enum class Kind {
        leaveOut,  ///< the frames' own solve is not used; their camera goes between the neighbours'
        fill,      ///< frames without a solve get a camera between their neighbours
        smooth     ///< the path is drawn smooth
    };
    Kind kind = Kind::smooth;
    FrameRange frames;
    double width = 2;  ///< of smoothing: deviation of the weights, frames
    friend bool operator==(const PathEdit&, const PathEdit&) = default;
};

/// The solve with the edits applied, one after the other; edits of an earlier call are taken back first, so that the
/// list as a whole says what is done. Edited frames are marked (SolvedFrame::origin) and keep what was solved beside
/// it.
///
/// Between solved frames positions go along a cubic through the two neighbours on each side (Catmull & Rom 1974) and
/// turns the shortest way; beyond the first and last solved frame nothing is filled. Smoothing puts a parabola through
/// positions and rotations of the solved frames within three deviations, by weighted least squares (Savitzky & Golay
/// 1964, with the weights of a Gaussian), so that a curve stays a curve; it fades in over the ends of its range, and
/// leaves frames with fewer than five neighbours alone.
SolveResult withPathEdits(const SolveResult& solve, const std::vector<PathEdit>& edits);

/// What edits cost: how far the picture moves against the unedited path, and how the solved points fit before and
/// after, px, over the edited frames. Frames that had no solve count for the fit after only.
struct PathEditCost {
    int frames = 0;  ///< edited
    double movesPx = 0;
    double fitBeforePx = -1, fitAfterPx = -1;  ///< negative where no point says
};
PathEditCost costOfPathEdits(const SolveResult& edited, const std::vector<Path>& paths, FrameRange frames);

}  // namespace va
