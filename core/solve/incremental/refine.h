// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <vector>

#include "solve/incremental/reconstruction.h"

namespace va {

/// What a bundle over every n-th solved frame works on, and where its views and points belong.
struct BundleSelection {
    BundleProblem problem;
    std::vector<FrameIndex> frameOfView;
    std::vector<int> pathOfPoint;
};
BundleSelection selectForBundle(const Reconstruction& r, int every);

/// Bundle over the solved views (every n-th frame when `every` > 1); `solved` lens values are free. With a zoom, frames
/// between those that were bundled take a focal length between theirs.
BundleSummary refine(Reconstruction& r, const std::vector<LensValue>& solved,
                     const std::vector<BundleOptions::Prior>& priors, int iterations, double stop,
                     const std::function<bool()>& cancelled = {}, int every = 1);

}  // namespace va
