// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/stale.h"

#include "workflow/track_shot.h"

namespace va {

Staleness stalenessOf(const Shot& shot) {
    Staleness s;
    s.features = shot.pathsFrom != 0 && trackWorkFor(shot) != TrackWork::none;
    s.solve = shot.cameraFrom.empty() && shot.solveFrom != 0 && shot.solveFrom != fingerprintOfSolveInput(shot);
    s.exported = shot.exportedFrom != 0 && shot.exportedFrom != fingerprintOfExportInput(shot);
    return s;
}

}  // namespace va
