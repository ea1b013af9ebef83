// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>
#include <string>
#include <vector>

#include "solve/frame_camera.h"

namespace va {

/// A post and its shadow as a camera sees them, px: foot and the shadow's tip lie on the ground, the top stands
/// upright over the foot.
struct SeenPost {
    const FrameCamera* camera = nullptr;
    Eigen::Vector2d foot, top, tip;
};

/// A direction to the sun with its uncertainty.
struct SunFit {
    Eigen::Vector3d toSun = Eigen::Vector3d::UnitY();  ///< unit, world
    double sigmaDegrees = -1;                          ///< of the direction; negative = none was found
    double restDegrees = 0;                            ///< RMS by which the posts differ from it; 0 for one post
    std::string sentence;                              ///< for the artist, where there is none: what to mark instead
};

/// Direction to the sun from posts and their shadows on the ground (the plane y = `height`; upright is +Y): for each
/// post top less tip, with its spread from `sigmaPx` of every mark by first order; of several the mean weighed by it.
/// Where posts differ by more than their spreads, the stated one grows to that.
SunFit sunFromPosts(const std::vector<SeenPost>& posts, double height = 0, double sigmaPx = 1);

}  // namespace va
