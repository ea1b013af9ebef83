// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "base/picture.h"
#include "base/plane.h"
#include "base/progress.h"
#include "shot/shot.h"

namespace va {

/// What is judged: a position of the world in each frame, and the surface that it lies on there.
struct StickSpot {
    std::function<std::optional<Eigen::Vector3d>(int frame)> place;
    std::function<Eigen::Vector3d(int frame)> normal;  ///< unit
};

/// The plate around a spot, frame by frame, held still by the solve.
struct StickStrip {
    static constexpr int halfHeight = 32, columnWidth = 6;  ///< px of the reference frame

    int reference = 0;        ///< frame that the others are compared with
    std::vector<int> frames;  ///< in which the spot is seen, in order
    /// Two strips of columns, one a frame: cut upright and cut level. Grey, columnWidth · frames wide, 2 · halfHeight +
    /// 1 high. What slides up and down shows in the first, what slides sideways in the second.
    Luma upright, level;
    /// Px by which the plate at the spot is off against the reference, one a frame; nothing where it could not be
    /// measured: hidden, blurred, without texture.
    std::vector<std::optional<Eigen::Vector2d>> off;
    int measured = 0;
    double wobblePx = -1;  ///< RMS of those about their mean; negative = not measured
    std::string sentence;
};

/// Cuts and measures the strip of a spot over some frames. Each frame's picture is sampled through the affine map that
/// the solve says the surface takes there (cubic, at exact positions), so that a spot that sticks is a straight
/// pattern. The measurement registers a patch of 25 px of the reference frame in every other one (ReferencePatch, shift
/// only; the rest of its placement is the solve's). The reference is the frame in which the spot is seen largest.
/// `read` gives the plate's luma. Throws what it throws, and Cancelled.
StickStrip stickStrip(const Shot& shot, const StickSpot& spot, const std::vector<int>& frames,
                      const std::function<Luma(int frame)>& read, std::optional<int> reference, Progress& progress);

/// Where a spot that does not move has to be to stick: the surface under it, followed through the frames as the strip
/// does, placed by their rays (the point nearest to all of them in px), and met again by the line of sight of the
/// reference, which is best the frame in which the spot was pointed at. Nothing where the surface was found in fewer
/// than five frames, where the rays all go one way (no parallax), or where the surface is seen from its edge. Throws as
/// stickStrip().
std::optional<Eigen::Vector3d> settledPlace(const Shot& shot, const StickSpot& spot, const std::vector<int>& frames,
                                            const std::function<Luma(int frame)>& read, std::optional<int> reference,
                                            Progress& progress);

/// The spot at a thing's foot.
StickSpot footOf(const Shot& shot, int thing);

}  // namespace va
