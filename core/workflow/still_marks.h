// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"
#include "shot/shot.h"

namespace va {

/// Looks in the reference stills that have joined for features of the shot that have no marks there yet. A feature's
/// depth and the slant of its surface are taken from the solved points around it; its patch is looked for where it then
/// must be seen, registered, and has to lie on the feature's epipolar line to 1.5 px. The new marks count as found.
/// Features on things that stick out from what is around them are not found, and textures that repeat may be found one
/// period aside: the next solve rejects those. A shot whose stills have not joined comes back as it was. Throws
/// InputError (no picture) and Cancelled.
Shot withMoreStillMarks(const Shot& shot, Progress& progress);

}  // namespace va
