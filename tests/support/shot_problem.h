// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "solve/bundle/bundle.h"

namespace va::test {

struct ShotProblemOptions {
    int views = 200, points = 1000;
    int width = 1280, height = 720;
    double seenFor = 0.25;  ///< mean share of the views that see a point, in one stretch
    double noisePx = 0.1;   ///< each axis; observations are whitened by it
    double disturb = 1;     ///< how far the start lies from the truth; 0 = there
    bool rotationOnly = false;
    bool zoom = false;  ///< 1 to 1.6 times the focal length over the shot
    double readout = 0;
    unsigned seed = 1;
};

struct ShotProblem {
    BundleProblem truth;    ///< with noisy observations
    BundleProblem start;    ///< the same, disturbed
    BundleOptions options;  ///< focal length, k1 and k2 solved, first view fixed
};

/// A bundle like that of a shot: a camera that travels along a row of points which come into view and go out of it.
ShotProblem makeShotProblem(const ShotProblemOptions& options);

}  // namespace va::test
