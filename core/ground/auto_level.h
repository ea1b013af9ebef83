// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <vector>

#include "ground/plane.h"
#include "solve/solve_result.h"

namespace va {

struct AutoLevel {
    PlaneFit floor;          ///< in the solve's space, normal towards the cameras
    std::vector<int> paths;  ///< path ids of the points it goes through
};

/// Proposes a floor: sampled planes through three points (seeded), judged by how many points lie on them to within what
/// the solve's depth allows, how wide these spread, that no more than a few lie below, and that the normal is not far
/// from the cameras' mean up. Assumes that cameras are held roughly upright and see some of the floor. Nothing when no
/// plane holds at least eight points.
std::optional<AutoLevel> autoLevel(const SolveResult& solve, uint64_t seed = 1);

}  // namespace va
