// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <memory>

#include "track/path.h"
#include "track/pyramid.h"

namespace va {

/// How one feature is tracked.
struct StepOptions {
    double lowestQuality = 0.9;  ///< correlation with the reference below which a position does not count
    double backTolerance = 1.4;  ///< px by which tracking back to the frame before may miss
    int bridge = 6;              ///< frames that a feature may be hidden, blurred or dark before it is given up
    int searchRadius = 0;        ///< px around the prediction that are searched when tracking fails; 0 = not at all
    bool blurred = false;        ///< the frame is likely to be: the reference is blurred along the move as well
    double openShare = 0;        ///< of the frame's time that the shutter was open; 0 = not known: several are tried
    MotionModel model = MotionModel::affine;
};

enum class StepOutcome {
    seen,     ///< registered: point() is new
    bridged,  ///< not seen in this frame, but not given up either
    lost      ///< lostBy() says why
};
enum class LostBy {
    none,
    texture,     ///< there is nothing in the patch to hold on to
    edge,        ///< it left the picture
    appearance,  ///< it is no longer like its reference
    wayBack      ///< from where it seemed to be, nothing led back to where it was
};

/// Tracks one feature from frame to frame, against the patch of its reference frame.
///
/// Where the last frames predict the position well, one registration from there does; else a pyramid step from the
/// frame before brings it near, checked by leading back. Under motion blur the reference is blurred along the move.
/// Where the surface has come to look different (perspective, light), the reference is taken anew from the frame
/// before; such re-taken references are counted in PathPoint::chain, add to the covariance, and are left again as soon
/// as the first reference fits once more.
class FeatureTracker {
  public:
    /// The reference is taken around the pixel nearest to (x, y) of `picture`; the path's point may lie between pixels.
    FeatureTracker(const Pyramid& picture, double x, double y, int radius);
    /// Goes on with a path: its reference lies around `spot` in `referencePicture`, its last point is `last`, in
    /// `picture`. Where the reference does not fit there, a new one is taken in `picture`.
    FeatureTracker(const Pyramid& referencePicture, const Eigen::Vector2d& spot, int radius, const Pyramid& picture,
                   const PathPoint& last, const StepOptions& options);
    ~FeatureTracker();
    FeatureTracker(FeatureTracker&&) noexcept;
    FeatureTracker& operator=(FeatureTracker&&) noexcept;

    [[nodiscard]] bool usable() const;
    /// Where the feature is expected in the next frame, px.
    [[nodiscard]] Eigen::Vector2d expected() const;
    /// Where the patch's middle was found last, and how far it had come since the frame before.
    [[nodiscard]] Eigen::Vector2d settled() const;
    /// How large the patch is seen, over its size in the reference.
    [[nodiscard]] double size() const;
    [[nodiscard]] Eigen::Vector2d lastMove() const;
    /// Where the patch's middle was before the last step.
    [[nodiscard]] Eigen::Vector2d cameFrom() const;
    /// Share of the frame's time that the shutter was open, as the last step's blur showed; 0 where it was sharp.
    [[nodiscard]] double openShare() const;
    /// Goes from `before` (the frame of the last step) to `after`. `jolt` is added to the expectation: what the other
    /// features have shown of this frame's move.
    StepOutcome step(const Pyramid& before, const Pyramid& after, const StepOptions& options,
                     const Eigen::Vector2d& jolt = Eigen::Vector2d::Zero());
    /// After a step that ended `bridged`: another try with the patch's middle at `at`, where the other features say
    /// that it should be. Where it is not seen either, it is taken along to there.
    StepOutcome tryAt(const Pyramid& after, const Eigen::Vector2d& at, const StepOptions& options);
    /// Position, quality, covariance in the last frame it was seen in; `frame` is left to the caller.
    [[nodiscard]] const PathPoint& point() const;
    [[nodiscard]] PatchEvidence evidence() const;
    [[nodiscard]] LostBy lostBy() const;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

/// Covariance of a position from a registration: noise, times how much more the patch's parts scatter than noise
/// explains
/// (`varianceInflation`, at least 1), plus `carried` px² from re-taken references. Fills sxx, sxy, syy and drift of
/// `point`.
void takeCovariance(PathPoint& point, const Eigen::Matrix2d& noise, double varianceInflation, double carried);

}  // namespace va
