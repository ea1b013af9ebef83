// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "solve/incremental/rotation_only.h"
#include "solve/solve_result.h"

namespace va {

/// What the paths allow, before any depth is used.
struct MotionEvidence {
    Motion motion = Motion::none;  ///< free, rotation or fixed
    double largestMovePx = 0;      ///< 90th percentile over paths of the farthest a path goes from its start
    RotationSolve rotation;        ///< over the keyframes; with a zoom where only that makes it fit
};

/// Whether a rotation-only solve explains what is seen, of paths that scatter by `least` (px², an axis) at least.
bool isNodalPan(const Observations& s, const RotationSolve& r, double least = 0);

/// Decides between a standing, a turning and a free camera.
///
/// Standing: at least half of the paths stay within half a pixel; things may move by themselves. Turning: a
/// rotation-only solve with a free lens leaves no more error than tracking has by itself. The comparison is Torr's
/// geometric robust information criterion (GRIC, Torr 1998) of the turning model (two numbers a point, three a view)
/// against the free one (three a point, six a view), where the free model is granted the noise of the paths themselves
/// as its error: if even then it is not worth its numbers, there is no depth to be had. With `mayZoom` a nodal pan with
/// a zoom is tried where a nodal pan does not do. Where a nodal pan nearly does and nothing is known of rows, or they
/// are said to be read one after the other, a nodal pan over all frames is tried with rows read so: that shears
/// pictures in a way that no turn of whole pictures explains, and a free camera is easily found that does.
MotionEvidence chooseMotion(const Observations& s, const std::vector<FrameIndex>& keyframes, const Intrinsics& lens,
                            const std::vector<LensValue>& solved, const std::vector<BundleOptions::Prior>& priors,
                            uint64_t seed, bool mayZoom = false, const RowReading& rows = {});

/// Whether what a free camera does not explain, `explained` by path, stands still through the range and says that the
/// camera does: far things stand still before a moving camera too, but they are explained. Of the paths that last half
/// of the range or more; a tenth of a path's frames may be off.
bool restStandsStill(const Observations& s, const std::vector<char>& explained);

}  // namespace va
