// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "base/progress.h"
#include "shot/shot.h"

namespace va {

/// What refining does to the worst features.
struct RefineRule {
    double overTimes = 3;  ///< observations whose error is above this times the fit error are set aside
    double never = 0.15;   ///< px: smaller errors are left alone
};

/// Sets aside what fits badly, brings the solve up to date, and says honestly what that was worth.
///
/// Keeps what is good: of a path that fits but in a few frames only those frames are set aside; the whole path only
/// where a third of its observations or more are bad. Paths by hand are spared. What is held back for
/// the check error is left alone, so that both check errors speak of the same observations: pruned as well, it would
/// fall whatever the camera does. `refineReport` gets one sentence with fit and check error before and after, which
/// says so when only the fit error fell. Without a solve with depth the shot comes back as it was, and the sentence
/// says so. Throws Cancelled.
Shot withRefinement(const Shot& shot, const RefineRule& rule, Progress& progress);

/// The sentence for these numbers; negative check errors are unknown.
std::string refineSentence(int observations, int paths, double fitBefore, double fitAfter, double checkBefore,
                           double checkAfter);

}  // namespace va
