// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "solve/incremental/reconstruction.h"

namespace va {

/// What a held-back path says about the cameras: its point is placed from every other observation and measured on the
/// rest, and the other way round, so that no observation is compared with itself.
struct CheckedPath {
    Eigen::Vector3d position;  ///< from all its observations
    double sumSquares = 0;     ///< px², over `count` observations
    int count = 0;
    double worstPx = 0;
    FrameIndex worstFrame;
};

/// Nothing when the path is seen by fewer than six solved views, or by views too near to each other to place it. Gross
/// outliers (beyond `limit` px, judged on the placement from all) are left out: a held-back path goes through the same
/// sieve as the others.
std::optional<CheckedPath> checkPath(const Reconstruction& r, int path, double limit);

}  // namespace va
