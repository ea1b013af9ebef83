// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "solve/incremental/reconstruction.h"

namespace va {

/// Rolling shutter: how the camera moved in frames at the ends of a stretch, by their own rows.
///
/// Elsewhere the neighbours on both sides tell (rateOf() in solve/rolling.h). Beside an end or a gap fewer than three of
/// them stand on one side, and how a shake goes on can't be told from the other. There the view and the first three
/// derivatives of its motion are fitted to what the frame sees of the points as they stand: Gauss–Newton on the
/// whitened residuals with Cauchy's loss. The derivatives are drawn towards those of a steady continuation from the
/// nearest frame that has its neighbours, by as much as they change elsewhere in the shot. Frames that see too little,
/// and shots with fewer than four frames that have their neighbours, keep what rateOf() says.
///
/// Without a rolling shutter nothing happens.
void measureEndRates(Reconstruction& r);

}  // namespace va
