// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

#include "lens/intrinsics.h"
#include "solve/camera.h"

namespace va {

/// Where a feature of the shot is seen in a photo of the same place.
struct StillMark {
    int path = 0;                                     ///< id
    Eigen::Vector2d pixel = Eigen::Vector2d::Zero();  ///< px of the photo
    double sigma = 0.5;                               ///< px, an axis
    bool byHand = false;                              ///< put there by the artist, else found
    friend bool operator==(const StillMark&, const StillMark&) = default;
};

/// A reference still as the solve sees it: a photo with a lens of its own.
struct StillRequest {
    int id = 0;
    int width = 0, height = 0;  ///< px
    double pixelAspect = 1;
    std::optional<double> focalPx;  ///< from metadata, or given
    double focalSigma = 0.02;       ///< relative deviation of that
    std::vector<StillMark> marks;
};

/// Why a reference still did not join.
enum class StillTrouble : uint8_t {
    none,
    fewMarks,    ///< too few features in common
    noParallax,  ///< taken from where the shot's camera stood: it adds no depth
    doesNotFit,  ///< no camera explains the marks: another place, or wrong marks
    apart        ///< shares no features with the stills that joined: its distance can't be told
};

/// What the solve made of a reference still.
struct SolvedStill {
    int id = 0;
    StillTrouble trouble = StillTrouble::none;
    bool solved = false;
    Intrinsics lens;
    double focalSigma = 0;  ///< relative
    CameraPose pose;        ///< in the world of the solve
    double rmsPx = 0;       ///< over the marks used
    std::vector<StillMark> used;
    std::vector<int> rejected;  ///< ids of the paths whose marks do not fit
};

}  // namespace va
