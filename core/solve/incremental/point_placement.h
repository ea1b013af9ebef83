// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "solve/incremental/reconstruction.h"

namespace va {

/// Gives a position to every path that has none yet and is seen by two solved views under at least `leastAngle`
/// radians. Observations farther than 3 px from it are not used; where fewer than two thirds agree the path stays
/// without one. Gives how many were placed.
int addPoints(Reconstruction& r, double leastAngle);

}  // namespace va
