// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFlags>

#include "shot/shot.h"

namespace va {

/// What of a shot a job may replace. All else of what it gives back is dropped.
enum class Part {
    paths = 1,    ///< with what tracking finds out about the plate
    patches = 2,  ///< the frames of patches; their keys and corrections are the artist's
    edges = 4,    ///< straight edges that were found
    chart = 8,    ///< the calibration from a chart
    lens = 16,    ///< distortion and principal point
    solve = 32,   ///< the camera's solve
    movers = 64,  ///< solves of movers, and movers that were found
    stills = 128  ///< marks that were found in reference stills
};
Q_DECLARE_FLAGS(Parts, Part)
Q_DECLARE_OPERATORS_FOR_FLAGS(Parts)

struct JobResult {
    Parts parts;
    Shot before;  ///< what the job began with
    Shot made;    ///< what it made of that
};

/// The shot as it is now, with what the job made of its parts. What the artist changed in the same part while the job
/// ran stays where the two can be told apart: paths one by one, patches that were drawn anew, edges that were accepted
/// or drawn, movers with other paths. The ground is fitted to the new solve.
Shot merged(const Shot& now, const JobResult& result);

}  // namespace va
