// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <memory>
#include <vector>

#include "base/plane.h"
#include "base/progress.h"
#include "track/path.h"
#include "track/pyramid.h"

namespace va {

struct FollowOptions {
    int features = 300;  ///< live features to hold over the frame
    int radius = 0;      ///< px of the reference patch's half size; 0 = from the picture's width (8 at 1280)
    double lowestQuality =
        0.9;  ///< correlation with the reference below which the reference is re-taken or the path ends
    double backTolerance = 0.7;  ///< px by which following back to the frame before may miss
    int refillEvery = 4;         ///< frames between looking for new features
    int shortestPath =
        5;  ///< frames: shorter paths are dropped at the end (in a clip shorter than that: paths over all of it stay)
};

/// Everything needed to follow one feature from frame to frame.
class FeatureFollower;

/// Follows features through a shot: found with quotas, predicted by a coarse pyramid step from the frame before, then
/// registered against the reference patch (translation, then affine; gain and bias free), checked backwards, re-filled
/// as the view changes.
///
/// The reference is re-taken only when the correlation with it falls below `lowestQuality` while the step from the
/// frame before is still good (the view of the surface changed); each re-take is counted in PathPoint::chain and adds
/// to the covariance.
///
/// `frames` are the frame numbers in order; `read` gives the luma of a frame and may be called from another thread (one
/// call at a time, in order). `allowed(frame, x, y)` keeps features out of masks; empty means everywhere. Frames that
/// `read` throws InputError for end the call with that error. Progress advances once a frame; on cancel, Cancelled
/// leaves and `soFar` (if given) holds the paths up to there.
///
/// A picture without texture gives no paths.
std::vector<Path> followFeatures(const std::vector<int>& frames, const std::function<Luma(int)>& read,
                                 const FollowOptions& options, Progress& progress,
                                 const std::function<bool(int frame, double x, double y)>& allowed = {},
                                 std::vector<Path>* soFar = nullptr);

/// Half size of the reference patch for a picture of this width.
int defaultPatchRadius(int pictureWidth);

/// Follows one feature: the step that followFeatures makes for each, usable by itself.
class FeatureFollower {
  public:
    /// The reference is taken around the pixel nearest to (x, y) of `picture`; the path's point may lie between pixels.
    FeatureFollower(const Pyramid& picture, double x, double y, int radius);
    ~FeatureFollower();
    FeatureFollower(FeatureFollower&&) noexcept;
    FeatureFollower& operator=(FeatureFollower&&) noexcept;

    [[nodiscard]] bool usable() const;
    /// Goes from `before` (the frame of the last step) to `after`. False when the feature is lost; then `reason()` says
    /// why.
    bool step(const Pyramid& before, const Pyramid& after, const FollowOptions& options);
    /// Position, quality, covariance in the last frame reached; `frame` is left to the caller.
    [[nodiscard]] const PathPoint& point() const;
    [[nodiscard]] const char* reason() const;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace va
