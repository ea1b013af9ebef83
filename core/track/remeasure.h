// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <optional>
#include <vector>

#include "base/progress.h"
#include "track/patch.h"
#include "track/path.h"

namespace va {

/// How a spot passes through a frame's exposure: where it is in its middle, with the shape of a reference patch there,
/// and how it goes on.
struct Passage {
    Placement middle;
    Eigen::Vector2d velocity = Eigen::Vector2d::Zero();      ///< px a frame
    Eigen::Vector2d acceleration = Eigen::Vector2d::Zero();  ///< px a frame²
};

struct RemeasureRequest {
    std::vector<Path> paths;
    std::vector<int> frames;  ///< rising; points in others stay as they are
    std::function<Luma(int)> read;
    /// The passage of a path's spot through `frame`, for a patch taken in `referenceFrame`; nothing where it is not
    /// known. Called from several threads.
    std::function<std::optional<Passage>(const Path&, int referenceFrame, int frame)> passage;
    std::function<bool(int frame, double x, double y)> allowed;  ///< empty = everywhere
    double leastSmear = 3;                                       ///< px: shorter ones are left as they are
    /// px a frame²: under a move that changes by less in every frame a smear's middle is right as it is.
    double leastChange = 2;
    double lowestQuality = 0.85;
    double reach = 3;  ///< px that a spot may lie off its expected position
};

struct RemeasureResult {
    std::vector<Path> paths;
    double openShare = 0;     ///< of the frame's time that the shutter was open; 0 = no motion blur was found
    std::vector<int> frames;  ///< whose points were measured anew
    int points = 0;           ///< measured anew, or won
};

/// Measures smeared frames anew, now that the way of every spot before and after them is known.
///
/// Under a fast and uneven move a smear is curved and its middle is not where the spot was in the shutter's middle: the
/// mean position is off by T²/24 of the acceleration, and a straight smear along the last step points the wrong way.
/// Here the reference is blurred along the passage itself, so that registration gives the position in the shutter's
/// middle. How long the shutter was open is found first, on the fastest frames: the share of the frame's time with
/// which the blurred references look most like the picture. Points of all other frames are moved by what is left of
/// that mean. References come from frames that are not smeared; points by hand stay. Assumes that the shutter opens and
/// closes evenly around the frame's time and at once over the picture.
///
/// Without fast frames that differ from their neighbours, or where no open shutter explains them better than none, the
/// paths come back as they were and `openShare` is 0. Throws InputError from `read`, and Cancelled.
RemeasureResult remeasureSmeared(RemeasureRequest request, Progress& progress);

}  // namespace va
