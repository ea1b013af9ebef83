// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"
#include "shot/shot.h"

namespace va {

/// The straight line that goes through an edge's points as the lens shows them undistorted, its ends in px of the
/// plate. Nothing where the edge leaves it by more than a pixel (RMS), or the lens can't undistort it.
std::optional<PictureLine> straightLine(const std::vector<Eigen::Vector2d>& edge, int frame, const Intrinsics& lens);

/// Straight lines of a frame, as their lens shows them undistorted: long edges that stay within a pixel of a line; ends
/// in px of the plate. Edges are looked for at about 640 px of width. Empty for a frame without a picture.
std::vector<PictureLine> straightLinesOf(PlateSource& plate, int frame, const Intrinsics& lens);
/// The same of a picture that was read.
std::vector<PictureLine> straightLinesIn(Luma picture, int frame, const Intrinsics& lens);

/// Looks for upright edges in a few frames of the solve, and levels anew with them; only where the cloud alone leaves
/// the upright open to more than 0.15° or contradicts itself. A plate that can't be read is no trouble:
/// the shot stays as it is. Throws Cancelled.
Shot withUprightsFound(const Shot& shot, Progress& progress);

}  // namespace va
