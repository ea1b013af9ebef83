// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "solve/bundle/bundle.h"

namespace va {

/// Which group each point of a bundle is in, for leaving groups of paths out in turn.
struct PathGroups {
    std::vector<int> ofPoint;
    int count = 0;
};

/// Groups of scattered neighbourhoods. Patches of neighbours overlap and err together, and so do those that each of
/// them overlaps with: points within two patches of each other in the middle view are in the same group. `wanted`
/// groups, or fewer where each would have less than six paths or two neighbourhoods.
PathGroups scatteredNeighbourhoods(const BundleProblem& problem, int wanted);

/// Whole regions of the scene, whose paths may err alike far beyond their patches: one texture, one edge, one kind of
/// motion blur. The points are halved by their number along the longest of width, height and half the logarithm of
/// depth, as the middle view sees them, `halvings` times or until fewer than twelve are left.
PathGroups regions(const BundleProblem& problem, int halvings);

}  // namespace va
