// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "track/path.h"

namespace va {

/// Makes stated covariances agree with how the paths really jitter.
///
/// A camera moves smoothly or jolts all features alike; what a path's second difference over three frames does beyond a
/// quadratic field over the picture, fitted robustly to all paths of that frame, is error of measuring. A stated
/// covariance C holds the noise of the frame and that of the reference patch, of equal size; the latter is the same in
/// all frames and does not jitter. White errors of C/2 give second differences of covariance 3 C; the mean ratio over
/// the path, drawn towards that of all paths as if eight triples of those had been seen, scales the path's covariance
/// (between 0.5 and 100). What exceeds the stated noise comes from the surface and the sampling, and such errors go on
/// over frames: it is put into PathPoint::drift.
///
/// Assumes mostly rigid surroundings and at least 12 paths through a frame; triples of frames with fewer are left out,
/// and without any triple nothing changes. Points by hand keep what they have.
void calibrateCovariances(std::vector<Path>& paths);

/// Makes a point's covariance and drift at least as large as those of another point of its path, which has been
/// calibrated: what is measured afterwards is never better than what the path showed of itself.
void takeNoBetterThan(PathPoint& point, const PathPoint& calibrated);

/// How far each point lies from smooth motion, px: length of the second difference left after the field above, over √6.
/// Zero where it can't be told. One entry a path, in step with its points.
std::vector<std::vector<float>> raggedness(const std::vector<Path>& paths);

}  // namespace va
