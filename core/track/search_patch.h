// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>

#include "track/patch.h"
#include "track/pyramid.h"

namespace va {

/// Looks for a reference patch at every second pixel around `guess`, up to `radius` px away: normalised correlation at
/// half size, with the shape given. For features that jumped or were hidden; it brings registration near and is not the
/// measurement. Nothing where the best correlation stays under 0.7 or a rival is as good within 0.02 more than three
/// steps away: then the position can't be told.
std::optional<Eigen::Vector2d> searchPatch(const ReferencePatch& reference, const Eigen::Matrix2d& shape,
                                           const Pyramid& picture, const Eigen::Vector2d& guess, int radius);

}  // namespace va
