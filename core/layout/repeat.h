// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "layout/thing.h"

namespace va {

/// The places of `count` copies of a thing, the first of them one step on, in the axes of what it hangs on. Fewer than
/// one copy gives none.
std::vector<Similarity> repeatedByStep(const Similarity& first, int count, const Eigen::Vector3d& step);
/// At even steps along a line, the last one at its end; the thing is moved as the line goes from its start.
std::vector<Similarity> repeatedAlong(const Similarity& first, int count, const Eigen::Vector3d& from,
                                      const Eigen::Vector3d& to);
/// Turned about an axis through `centre`: `degrees` in all; a whole turn has no copy on the first one.
std::vector<Similarity> repeatedAround(const Similarity& first, int count, const Eigen::Vector3d& centre,
                                       const Eigen::Vector3d& axis, double degrees);

}  // namespace va
