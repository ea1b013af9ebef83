// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "solve/bundle/bundle.h"

namespace va::test {

/// The same problem by Ceres Solver: SPARSE_SCHUR with analytic derivatives, the way a user of that library would
/// write it with care. Knows lens values, priors, fixed views and points, rotation-only and the robust loss; no zoom,
/// no read-out time, no ties.
BundleSummary ceresBundle(BundleProblem& problem, const BundleOptions& options, int threads);

}  // namespace va::test
