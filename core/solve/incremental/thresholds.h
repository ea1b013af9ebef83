// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

/// The limits of the solve, in one place. px are those of a picture 1280 wide unless said otherwise; how much a
/// solve hangs on each is in docs/methods.md, "Limits of the solve".
namespace va::limits {

// ---- start -----------------------------------------------------------------------------------------------------
inline constexpr double keyframeStep = 1 / 25.0;      ///< of the width: how far the picture moves from key to key
inline constexpr double zoomKeyframeStep = 1 / 70.0;  ///< the same where the lens may zoom
inline constexpr double enoughParallax = 1 / 30.0;    ///< of the width: more does not make a start pair better
inline constexpr double pairAgreement = 1.5;          ///< px of the plate: errors of a start pair's epipolar lines
inline constexpr double flatShare = 0.8;              ///< of a pair's paths on one homography: the pair is flat
inline constexpr double startAngle = 0.003;           ///< radians between rays that place a first point

// ---- growth ----------------------------------------------------------------------------------------------------
inline constexpr double growthAngle = 0.02;     ///< radians between rays that place a point while views are few
inline constexpr double keyframeAngle = 0.01;   ///< the same once keyframes stand
inline constexpr double finalAngle = 0.005;     ///< the same once all views stand
inline constexpr double placedWithin = 3;       ///< px of the plate: a new point's observations that agree with it
inline constexpr double resectedWithin = 3;     ///< px of the plate: points that agree with a new view
inline constexpr double growthOutliers = 6;     ///< robust sigmas beyond which observations don't count, early
inline constexpr double startOutliers = 5;      ///< the same for the first keyframes
inline constexpr double outliers = 4.5;         ///< the same at the end
inline constexpr double neverOutlier = 0.1;     ///< px of the plate: what is nearer always counts
inline constexpr double slidingTimes = 3.5;     ///< path error over the median path's: such a path slides
inline constexpr double slidingNever = 0.4;     ///< px: paths with less never slide
inline constexpr double heaviestPath = 4;       ///< times that a path may count more than the typical one
inline constexpr int errorsGoOnFor = 20;        ///< frames over which a path's slow error is told from noise
inline constexpr double priorObservations = 4;  ///< of the typical path, that a path's own error is mixed with
inline constexpr double bundleLoss = 2;         ///< sigmas where the robust loss begins to weigh less

// ---- kind of move and lens -------------------------------------------------------------------------------------
inline constexpr int standingPaths = 24;           ///< that stand still and are not explained: the camera stands
inline constexpr double lockedOffMove = 0.5;       ///< px of the plate: half of the paths stay within
inline constexpr double trackingFloor = 0.12;      ///< px an axis that tracking errs by beyond its stated covariance
inline constexpr double zoomRange = 1.015;         ///< longest over shortest focal length: less is no zoom
inline constexpr double zoomKeyframeGain = 0.85;   ///< cost over keyframes that a zoom comes down to, to be plain
inline constexpr double zoomKeyframeRange = 1.05;  ///< range of focal lengths over keyframes, the same
inline constexpr int zoomKeyframes = 4;            ///< that are needed for it
inline constexpr double zoomQuickGain = 0.97;      ///< cost on a few frames that a zoom has to come down to, to go on
inline constexpr double zoomGain = 0.93;           ///< cost that a zoom has to come down to, from a steady lens's
inline constexpr double badCost = 3;               ///< mean truncated cost above which a third is not explained
inline constexpr double badFit = 2;              ///< the same of what has a position: above, that is not explained well
inline constexpr double distortionSeen = 0.5;    ///< px of expected error at which a distortion is refused
inline constexpr double distortionTold = 5;      ///< deviations from what it is held at: never refused then
inline constexpr double usualDistortion = 0.05;  ///< deviation of lenses' k1 and the like from what they are held at
inline constexpr double sureFocal = 0.004;       ///< relative: a focal length stated surer than this lies in a parabola
inline constexpr double moversTellLens = 0.85;   ///< of the focal length's deviation left: camera and movers as one
inline constexpr double noMover = 3;             ///< times a good fit: paths that fit worse are no rigid thing
inline constexpr double noisyFit = 0.5;          ///< px of fit above which noise may hide a nodal pan
inline constexpr double noisyZoom = 0.3;      ///< the same where it zooms: that gives a free camera more to hide behind
inline constexpr double nearlyPan = 6;        ///< times the free fit that a pan may leave, with the lens as it is
inline constexpr double panGain = 0.67;       ///< share of that error that another lens has to bring a pan down to
inline constexpr double rowsExplain = 0.002;  ///< share of the squared errors that rows have to explain
inline constexpr double rowsLeast = 0.01;     ///< frames of read-out time that they have to say, in one step
inline constexpr double rowsQuickGain = 0.97;  ///< cost on a few frames that rows have to come down to, to go on
inline constexpr double rowsGain = 0.98;       ///< cost that a rolling shutter leaves, of what both have placed
inline constexpr double rowsSettled = 0.01;    ///< px that the outermost rows still move when views and rates agree
inline constexpr double farLook = 0.15;        ///< depth spread below which the mirror image is tried
inline constexpr double mirrorAlike = 0.8;     ///< cost of the better over the worse above which they can't be told

}  // namespace va::limits
