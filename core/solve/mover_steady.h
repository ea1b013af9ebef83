// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "solve/solve_result.h"
#include "track/path.h"

namespace va {

/// A mover's solve with less jitter from frame to frame. A rigid thing turns evenly, and each frame of a small one is
/// found by few features: its rotations in the world of `camera` are smoothed as much as they themselves ask for.
/// Assumes that the error of a frame's rotation does not hang on that of its neighbours; where it does, less is
/// smoothed than could be.
///
/// Smallest Σ w |change|² + μ Σ |third difference of the rotation|² (Whittaker 1923), w by what a frame's features say
/// of its rotation, μ by generalised cross-validation (Craven & Wahba 1979), with periods of twenty frames and more
/// left alone, and no more than features may err: what scatters more moves. Where the thing stands follows its turn so
/// that its features stay where they are seen, to first order. A frame that would change by more than five deviations,
/// and by what is seen in the picture (a quarter of a pixel at its features), keeps its pose: that is a jolt.
///
/// `paths` are those that the mover was solved from. Stretches of fewer than sixteen frames in which both are solved
/// stay as they are, and so does a mover without a free solve and one with a rolling shutter.
SolveResult withSteadyTurn(const SolveResult& mover, const CameraTrack& camera, const std::vector<Path>& paths);

}  // namespace va
