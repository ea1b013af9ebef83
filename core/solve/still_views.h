// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "base/progress.h"
#include "solve/solve_result.h"
#include "track/path.h"

namespace va {

/// How far the shot's own focal length is known, where its camera stands in one place.
struct ShotFocal {
    bool known = true;  ///< else it is solved along, from `sigma` on
    double sigma = 0;   ///< relative; of a known one it adds to what is stated of the stills; 0.5 and more: open
};

/// Joins reference stills to a solve: photos of the same place from elsewhere, each with a lens of its own.
///
/// A shot whose camera stands in one place (nodal pan, locked-off camera, single photo) has directions and no depth.
/// The first still comes from the essential matrix between the shot's directions and its marks (homography and
/// essential.h), over a row of focal lengths where its own is not known; features that both see are triangulated, the
/// other stills are resected from them, and stills, their lenses and the points are bundled together, with Cauchy's
/// loss; marks off by more than four deviations are left out. The shot's own directions stay as they were solved. The
/// median point is ten units away.
///
/// In a solve that has depth, every still is resected from its points and bundled with them standing still: the shot
/// does not change.
///
/// Assumes that nothing moved between shot and stills. A still that can't join says why (StillTrouble) and changes
/// nothing. Throws Cancelled.
SolveResult withStillViews(const SolveResult& solve, const std::vector<Path>& paths,
                           const std::vector<StillRequest>& stills, const ShotFocal& focal, Progress& progress);

}  // namespace va
