// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>

#include "track/pyramid.h"

namespace va {

/// Finds where the surroundings of `from` (in `before`) went in `after`, by pyramidal Lucas–Kanade with translation
/// only (Lucas & Kanade 1981; Bouguet 2001), from the coarsest level down to `finestLevel`. It brings registration
/// near; it is not the measurement. `guess` is the expected position in `after`. Bias is removed, and gain within ±30
/// %. The window is at most 2·largestRadius+1 wide, less near the picture's edge. Nothing if it leaves the picture or
/// there is no texture.
std::optional<Eigen::Vector2d> coarseShift(const Pyramid& before, const Pyramid& after, const Eigen::Vector2d& from,
                                           const Eigen::Vector2d& guess, int largestRadius, int finestLevel,
                                           int coarsestLevel);

}  // namespace va
