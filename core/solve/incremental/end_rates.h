// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "solve/bundle/bundle.h"
#include "solve/incremental/reconstruction.h"

namespace va {

/// How a view stood and moved, by its own rows.
struct EndRate {
    size_t view = 0;
    View middle;  ///< of the middle row
    ViewRate rate;
};

/// Rolling shutter: how the camera moved in frames at the ends of a stretch, by their own rows.
///
/// Elsewhere the neighbours on both sides tell (rateOf() in solve/rolling.h). Beside an end or a gap fewer than three
/// of them stand on one side, and how a shake goes on can't be told from the other. There the view and the first three
/// derivatives of its motion are fitted to what the frame sees of the points as they stand: Gauss–Newton on the
/// whitened residuals with Cauchy's loss. The derivatives are drawn towards those of a steady continuation from the
/// nearest frame that has its neighbours, by as much as they change elsewhere in the shot. `problem` has a rate for
/// every view, as ratesOf() gives it, and is left as it is. With `rotationOnly` the camera stays in its place.
///
/// Left out are frames that see fewer than 24 points; nothing is given for shots with fewer than four frames that have
/// their neighbours, and without a rolling shutter.
std::vector<EndRate> endRates(const BundleProblem& problem, bool rotationOnly);

/// The same for a reconstruction, which takes them over.
void measureEndRates(Reconstruction& r);

}  // namespace va
