// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <vector>

#include "track/path.h"

namespace va {

/// Paths after a job that began with `base` came back with `made`, while the artist went on from `base` to `edited`:
/// what the job changed or added is taken, what the artist changed meanwhile stays where the job did not touch it, and
/// setting aside or bringing back by the artist always stays. Sorted by id.
std::shared_ptr<const std::vector<Path>> mergedPaths(const std::vector<Path>& base, const std::vector<Path>& edited,
                                                     const std::vector<Path>& made);

}  // namespace va
