// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "ground/level.h"
#include "solve/solver.h"
#include "track/path.h"

namespace va::test {

/// A made-up place and a camera that moves through it, drawn by a seed: ground, walls, boxes, stones; some places have
/// no walls, some hilly ground. The world is level: Y is upright. Nothing of it is shared with what looks for the
/// upright.
struct PlaceTrial {
    std::vector<Path> paths;
    SolveRequest request;
    std::vector<CameraPose> cameras;  ///< one a frame
    Intrinsics lens;
    std::vector<PictureLine> lines;  ///< edges of walls and boxes, upright ones and others, as a finder would see them
    bool hilly = false;
    int walls = 0;
};

struct PlaceOptions {
    bool ground = true;  ///< seen at all
    bool hilly = false;
    int walls = 2, boxes = 4;
    double stones = 0.5;  ///< share of the ground's features that lie on something
    double noisePx = 0.15;
    int frames = 32, features = 420;
};

PlaceTrial makePlace(const PlaceOptions& options, uint64_t seed);

/// The options of a seed: a mixture of all sorts.
PlaceOptions mixedPlace(uint64_t seed);

/// The world's upright in the space of a solve, from the true rotations of its cameras.
Eigen::Vector3d trueUp(const CameraTrack& solve, const std::vector<CameraPose>& cameras);

}  // namespace va::test
