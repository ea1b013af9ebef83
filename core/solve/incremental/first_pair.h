// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>

#include "solve/incremental/reconstruction.h"

namespace va {

/// How the two frames of a first camera are taken to see the scene.
enum class FirstPairBy {
    essential,        ///< a scene with depth: a robust essential matrix (docs/methods.md)
    planeReadingOne,  ///< a flat scene: the homography's first reading
    planeReadingTwo   ///< and its second; which is right the frames after tell
};

/// Starts the reconstruction from two frames. Points need `leastAngle` radians between their rays. False when no camera
/// can be had or too few points come of it. With a zoom, how far it went between the two frames is tried out.
bool beginFrom(Reconstruction& r, FrameIndex frameA, FrameIndex frameB, uint64_t seed, double leastAngle = 0.003,
               FirstPairBy by = FirstPairBy::essential);

}  // namespace va
