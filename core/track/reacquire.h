// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <optional>
#include <vector>

#include "base/progress.h"
#include "track/patch.h"
#include "track/path.h"

namespace va {

struct ReacquireRequest {
    std::vector<Path> paths;
    std::vector<int> frames;  ///< rising
    std::function<Luma(int)> read;
    /// Where a path's spot should be in a frame where it has no point, with the shape of its reference patch there.
    /// Nothing = not to be looked for. Called from several threads.
    std::function<std::optional<Placement>(const Path&, int frame)> expected;
    std::function<bool(int frame, double x, double y)> allowed;  ///< empty = everywhere
    double lowestQuality = 0.92;
    double reach = 2;  ///< px that the spot may lie off its expected position
};

struct ReacquireResult {
    std::vector<Path> paths;
    int foundAgain = 0;  ///< points won
    int joined = 0;      ///< paths that turned out to be pieces of another one
};

/// Guided track: looks for lost features where they are expected (after an occlusion, back in the picture), registers
/// them against their first reference, and keeps what forms runs of at least three frames. Pieces of one feature are
/// joined: a path whose points lie within a pixel of what another, longer one found again, in most of their common
/// frames, is set aside with the reason, and the longer one has its frames.
///
/// Reads every frame up to twice. Throws InputError from `read`, and Cancelled.
ReacquireResult reacquire(ReacquireRequest request, Progress& progress);

}  // namespace va
