// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <vector>

#include "solve/solve_result.h"
#include "track/path.h"

namespace va {

/// Points that a mover needs to be solved, or to be one at all.
inline constexpr int fewestMoverPoints = 8;

/// The paths with these ids, in the order of `paths`.
std::vector<Path> pathsWithIds(const std::vector<Path>& paths, const std::vector<int>& ids);

/// Whether a path goes where something at infinity would go, within `close` px in the median: it was set aside because
/// it has no depth, not because it moves. Also where fewer than two of its frames have a camera.
bool isFar(const Path& path, const SolveResult& camera, double close);

/// How the best position for a path agrees with it.
struct PositionFit {
    size_t frames = 0;
    double angle = 0;  ///< between rays, radians
    double share = 0;  ///< of frames in which it is seen within what was asked
};
/// Of the position that explains a path best by the poses of one solve and the lens of another. Nothing where there is
/// no such position.
std::optional<PositionFit> fitOf(const Path& path, const SolveResult& poses, const SolveResult& lenses, double close);

/// Of these paths those that the scene explains: as something at infinity, or by some position, within `close` px in
/// nine of ten frames. Short ones on something that moves slowly are among them: they tell nothing of it.
std::vector<int> standingStill(const SolveResult& camera, const std::vector<Path>& paths, double close);

}  // namespace va
