// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <vector>

#include "solve/camera.h"
#include "solve/solver.h"
#include "track/path.h"

namespace va::test {

/// A made-up shot with a known answer: random points, a camera path, paths with noise.
struct SyntheticShot {
    std::vector<Path> paths;
    std::vector<CameraPose> cameras;
    std::vector<double> focals;           ///< px, one a frame
    std::vector<CameraPose> mover;        ///< where the mover stands, one a frame
    std::vector<int> moverPaths;          ///< ids of the paths on it
    std::vector<Eigen::Vector3d> points;  ///< by path id − 1
    Intrinsics lens;
    SolveRequest request;
};

struct SyntheticOptions {
    int frames = 40, points = 300;
    int width = 1280, height = 720;
    double focalPx = 1100, k1 = -0.05, k2 = 0.01;
    double noisePx = 0.1;
    double outlierShare = 0;  ///< paths with positions at random
    double moverShare = 0;    ///< paths on a thing of two units' size that drives and turns through the scene
    bool flat = false;        ///< all points on one plane
    uint64_t seed = 7;
    double readout = 0;  ///< frames from the first row's reading to the last one's; a frame stands for the middle row
    double zoomTo = 1;   ///< focal length at the end over that at the start; eased
    std::function<CameraPose(double t)>
        camera;  ///< t in 0..1; empty: a dolly of 4 units past things 4 to 20 units away
};

/// Points fill the view of the middle camera, at depths between 4 and 20 units.
SyntheticShot makeSyntheticShot(const SyntheticOptions& options);

/// A camera at `position` that looks along `azimuth` (radians to the right of −Z) and `pitch` up.
CameraPose lookAlong(const Eigen::Vector3d& position, double azimuth, double pitch);

}  // namespace va::test
