// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "solve/incremental/reconstruction.h"

namespace va {

/// What the errors of a solve that took all rows as read at once say about a rolling shutter.
struct RowEvidence {
    double readout = 0;    ///< frames from the first row's reading to the last one's, as one linear step gives it
    double explained = 0;  ///< share of the squared errors that it would explain; 0 where nothing can be told
};

/// For each of about forty frames the errors of the observations in use are compared with how the camera's own motion
/// (its rates through the neighbouring frames) would move them from row to row, both after what a translation or
/// rotation of the whole frame explains was taken out of them. Points and lens are left where they are, so that the
/// read-out time is rather told too short than too long. A camera that moves evenly shears all frames alike, which
/// points and lens make up for: it gives no evidence.
RowEvidence rowEvidence(const Reconstruction& r);

}  // namespace va
