// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <array>
#include <optional>
#include <vector>

namespace va {

/// Four corners in undistorted normalised coordinates (x right, y down, at distance 1), in order around.
using NormalisedCorners = std::array<Eigen::Vector2d, 4>;

/// Slant of a flat region that moves by itself, from how its picture changes: a camera of known lens sees two
/// directions at right angles within the plane, equally long, as such in every frame (Triggs, "Autocalibration from
/// Planar Scenes", ECCV 1998, with a known camera). The normal that keeps them so best wins; where the frames do not
/// tell it, the region is taken for a rectangle, and where it can't be one, for facing the camera.
///
/// `reference` are its corners in one frame, `others` in other frames, `cornerError` how well they are known, in the
/// same unit. Returns the unit normal in the reference frame's camera (x right, y down, z ahead), to the side that is
/// seen. Nothing for corners on a line.
std::optional<Eigen::Vector3d> regionNormal(const NormalisedCorners& reference,
                                            const std::vector<NormalisedCorners>& others, double cornerError);

}  // namespace va
