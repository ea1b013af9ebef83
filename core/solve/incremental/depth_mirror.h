// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "solve/incremental/reconstruction.h"

namespace va {

/// Scatter of the points' depths over their distance, median over the views: small where the camera looks from far.
double depthSpread(const Reconstruction& r);

/// Turns the scene into its mirror image in depth, with the views that would see it alike from far away: about the
/// middle of the points, in the axes of the middle view.
void mirror(Reconstruction& r);

/// Whether `r` is the mirror image of the other rather than the same again.
bool isMirrorOf(const Reconstruction& r, const Reconstruction& other);

}  // namespace va
