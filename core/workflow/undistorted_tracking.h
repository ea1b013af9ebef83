// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "lens/intrinsics.h"
#include "track/track.h"

namespace va {

/// As trackFeatures(), on the plate undistorted by a lens: where the lens distorts so strongly that a feature is
/// deformed on its way across the frame, it keeps its shape there. The request and the result are in px of the plate:
/// positions go through the lens exactly, and covariances by its slope. Features keep a patch away from the plate's
/// border, where the undistorted picture ends.
///
/// Throws InputError where the lens can't be straight, else as trackFeatures().
std::vector<Path> trackUndistorted(TrackRequest request, const Intrinsics& lens, int width, int height,
                                   Progress& progress);

}  // namespace va
