// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <vector>

#include "base/frame_range.h"
#include "solve/bundle/bundle.h"
#include "solve/solve_result.h"
#include "track/path.h"

namespace va {

/// How sure a solved camera is, and what that means for a thing that is put somewhere.
///
/// Holds the joint covariance of some frames' views and of the lens (of a long shot an even choice of them). *Slip* at
/// a position is the root mean square, over frames that see it, of the px by which a thing that stands there slides
/// against the plate: errors of views and lens, carried to the picture, less what the best position for the thing takes
/// up. It is free of the choice of world (a change of that moves position and cameras together).
///
/// The covariance is that of the least-squares estimate at its minimum (Triggs et al. 1999, section 8), times the
/// variance of the residuals, and larger by what errors that go on over frames take away from the number of
/// measurements. It knows nothing of what no model holds: a rolling shutter that was not asked for, a lens of another
/// kind.
class SlipField {
  public:
    SlipField() = default;
    /// From a bundle at its minimum; `frames` are the frame numbers of its views, `solved` the lens values that were.
    /// `worse` multiplies all deviations. Empty when the bundle does not determine its cameras.
    SlipField(const BundleProblem& problem, const std::vector<int>& frames, const std::vector<LensValue>& solved,
              int width, int height, double worse = 1);

    [[nodiscard]] bool empty() const { return frames_.empty(); }
    /// px; negative where fewer than two of the frames see the position. World of the bundle.
    [[nodiscard]] double slipPx(const Eigen::Vector3d& place, FrameRange range) const;
    /// Deviation of the camera's position after the similarity that fits the whole path best, in world units: one a
    /// frame that the field holds.
    [[nodiscard]] std::vector<std::pair<int, double>> pathSigma() const;
    /// Deviation of the focal length as a share of it; of a zoom in its middle.
    [[nodiscard]] double focalSigma() const { return focalSigma_; }
    [[nodiscard]] const std::vector<int>& frames() const { return frames_; }

  private:
    std::vector<int> frames_;
    std::vector<View> views_;
    std::vector<Intrinsics> lenses_;
    std::vector<LensValue> solved_;  ///< in the border's order
    bool zoom_ = false;
    int viewSize_ = 6, width_ = 0, height_ = 0;
    Eigen::MatrixXd root_;  ///< covariance = root rootᵀ
    double focalSigma_ = 0;
};

/// Root mean square of the slip at the solved points over a range, px; negative where nothing can be said. Of many
/// points every fifth is asked.
double slipOverPoints(const SlipField& field, const SolveResult& solve, FrameRange range);

/// The same for places twice as near as the nearest fiftieth of the points that a frame sees, where things are put that
/// pass the camera: over nine directions in eight frames. A camera may be very sure where its points are and unsure
/// there.
double slipNearCamera(const SlipField& field, const SolveResult& solve, FrameRange range);

/// The field of a solve, from the paths that it was made from; in the world of the result's frames and points. Frames
/// without a solve are left out. Empty for solves without depth.
SlipField slipFieldOf(const SolveResult& solve, const std::vector<Path>& paths, int width, int height);

}  // namespace va
