// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "solve/incremental/reconstruction.h"

namespace va {

/// Robust sigma of errors over what the observations state: the median of those used over that of a unit Rayleigh
/// distribution, never below a twentieth.
double robustScale(const Reconstruction& r);

/// Marks observations farther than `limit` robust sigmas as not used, brings back those within, and drops points that
/// are left with fewer than three observations, lie behind a camera, or of whose observations fewer than half agree.
void classifyOutliers(Reconstruction& r, double limit);

/// Weighs every path by how well it fits. The part of its error that goes on over frames counts for as many
/// observations as it spans: a path that slides or sits on an edge is wrong in the same way from frame to frame, and
/// counting each frame as new evidence would let it distort the camera.
void weighPaths(Reconstruction& r);

/// Takes out paths whose own error is more than `times` the median path's and above `never` px: they slide along an
/// edge, or their window holds two surfaces. They count little by their weight already; out they are so that what is
/// left can be trusted one by one.
void setAsideSliding(Reconstruction& r, double times, double never);
/// Gives all of them another chance: the next addPoints() places them again.
void bringBackSliding(Reconstruction& r);

}  // namespace va
