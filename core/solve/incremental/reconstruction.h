// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <optional>
#include <vector>

#include "base/progress.h"
#include "solve/bundle/bundle.h"
#include "solve/incremental/observations.h"
#include "solve/minimal/resect.h"

namespace va {

/// A growing free-move reconstruction: views for some frames, points for some paths, one lens. Each function is one
/// step of the method in docs/methods.md; the caller (growth.cpp, free_finish.cpp) decides their order. World: the
/// first view's axes, vision convention.
class Reconstruction {
  public:
    /// `zooms`: every frame has a focal length of its own.
    Reconstruction(Observations observations, Intrinsics start, bool zooms = false)
        : observations_(std::move(observations)),
          lens_(std::move(start)),
          focal_(zooms ? observations_.frames.size() : 0, lens_.focalPx),
          views_(observations_.frames.size()),
          points_(observations_.pathIds.size()),
          slides_(observations_.pathIds.size(), 0) {}

    /// Starts from two frames by a robust essential matrix. False when it can't be had or too few points come of it.
    /// Points need `leastAngle` radians between their rays.
    /// `plane` 0 or 1: by one of the two readings of the homography instead, for a scene that is flat.
    bool begin(int frameA, int frameB, uint64_t seed, double leastAngle = 0.003, int plane = -1);
    /// Adds a frame by resection against the points it sees, starting from `near` if given. False with fewer than eight
    /// points or when fewer than half agree.
    bool addFrame(int frame, uint64_t seed, const View* near = nullptr);
    /// Takes a view, and its focal length if the lens zooms, from an earlier solve; so with a point.
    void resume(int frame, const View& view, double focalPx);
    void resumePoint(int path, const Eigen::Vector3d& place);
    /// What else is known of points, by path indices, in this space; taken into every refine(). `placed`: they say
    /// where the world lies, so that no view has to.
    void setTies(std::vector<PointTie> ties, bool placed) { ties_ = std::move(ties), tiesPlace_ = placed; }
    /// Rolling shutter, over `readout` frames; `solve`: how long it takes is solved, from there.
    void setReadout(double readout, bool solve);
    [[nodiscard]] double readout() const { return readout_; }
    [[nodiscard]] bool solvesReadout() const { return solvesReadout_; }
    /// The view of an observation's frame as it stood when its row was read.
    [[nodiscard]] std::optional<View> viewOf(const PathObservation& s) const;
    /// Gives a place to every path that has none yet and is seen by two solved views under at least `leastAngle`
    /// radians.
    int addPoints(double leastAngle);
    /// Bundle over the solved views (every n-th frame when `every` > 1); `solved` lens values are free.
    BundleSummary refine(const std::vector<LensValue>& solved, const std::vector<BundleOptions::Prior>& priors,
                         int iterations, double stop, const std::function<bool()>& cancelled = {}, int every = 1);
    /// Covariance of the lens's numbers, as far as the observations in use tell them; nothing where there are too few.
    [[nodiscard]] std::optional<Eigen::MatrixXd> lensCovariance(const std::vector<LensValue>& values) const;
    /// How much the lens's numbers deviate, each over what `covariance` says: sixteenths of the paths are left out in
    /// turn, and what that moves them by shows how far paths disagree (the jackknife, Quenouille 1956 and Tukey 1958,
    /// one Newton step each). Errors that go on over a path's frames, and paths that are much worse than the median,
    /// count in full there. Good to a fifth; ones where there are too few paths to tell.
    [[nodiscard]] Eigen::VectorXd disagreement(const std::vector<LensValue>& values,
                                               const Eigen::MatrixXd& covariance) const;
    /// Deviation of the solved read-out time, frames; nothing where the observations do not tell it.
    [[nodiscard]] std::optional<double> readoutSigma() const;
    /// Takes this distortion instead of the solved one; the next refine() settles the rest around it.
    void holdDistortion(const LensModel& distortion) { lens_.lens = distortion; }
    /// Scatter of the points' depths over their distance, median over the views: small where the camera looks from far.
    [[nodiscard]] double depthSpread() const;
    /// Turns the scene into its mirror image in depth, with the views that would see it alike from far away: about the
    /// middle of the points, in the axes of the middle view.
    void mirror();
    /// Whether this is the mirror image of the other rather than the same again.
    [[nodiscard]] bool mirrorOf(const Reconstruction& other) const;
    /// Fits every solved view to the points as they stand.
    void refinePoses();
    /// Marks observations farther than `limit` robust sigmas as not used, brings back those within, and drops points
    /// that are left with fewer than three observations, lie behind a camera, or of whose observations fewer than half
    /// agree.
    void classifyOutliers(double limit);
    /// Weighs every path by how well it fits. The part of its error that goes on over frames counts for as many
    /// observations as it spans: a path that slides or sits on an edge is wrong in the same way from frame to frame,
    /// and counting each frame as new evidence would let it distort the camera.
    void weighPaths();
    [[nodiscard]] double pathWeight(int path) const { return pathWeight_.empty() ? 1 : pathWeight_[size_t(path)]; }

    /// Takes out paths whose own error is more than `times` the median path's and above `never` px: they slide along an
    /// edge, or their window holds two surfaces. They count little by their weight already; out they are so that what
    /// is left can be trusted one by one.
    void setAsideSliding(double times, double never);
    /// Gives all of them another chance: the next addPoints() places them again.
    void bringBackSliding() { slides_.assign(slides_.size(), 0); }
    [[nodiscard]] bool slides(int path) const { return slides_[size_t(path)]; }
    /// Path error in px above which the last setAsideSliding() took a path out; 0 before.
    [[nodiscard]] double slideLimit() const { return slideLimit_; }
    /// Root mean square error over all observations in use, px.
    [[nodiscard]] double rms() const;
    /// RMS error of the path's used observations in px; negative when it has none.
    [[nodiscard]] double pathRms(int path) const;

    /// By how much errors that go on over frames make every deviation larger.
    [[nodiscard]] double errorsTogether() const { return std::max(1.0, typicalError_ / scale_); }
    [[nodiscard]] int solvedFrames() const;
    [[nodiscard]] int pointCount() const;
    [[nodiscard]] bool hasView(int frame) const { return views_[size_t(frame)].has_value(); }
    [[nodiscard]] const std::vector<std::optional<View>>& views() const { return views_; }
    [[nodiscard]] const std::vector<std::optional<Eigen::Vector3d>>& points() const { return points_; }
    /// What all frames share; with a zoom its focal length is the middle one of the solved frames'.
    [[nodiscard]] const Intrinsics& lens() const { return lens_; }
    [[nodiscard]] Intrinsics lensOf(int frame) const {
        Intrinsics out = lens_;
        if (!focal_.empty()) out.focalPx = focal_[size_t(frame)];
        return out;
    }
    [[nodiscard]] bool zooms() const { return !focal_.empty(); }
    /// Every frame has the focal length that is given here, and keeps it.
    void holdFocals(const std::vector<double>& px) { focal_ = px, focalsHeld_ = true; }
    /// From now on every frame has a focal length of its own, or all the same again.
    void setZooms(bool zooms) { focal_.assign(zooms ? views_.size() : 0, lens_.focalPx); }
    [[nodiscard]] const Observations& observations() const { return observations_; }
    /// Points that the frame sees and that have a place.
    [[nodiscard]] int placedIn(int frame) const;
    /// Mean of min(whitened error², 9) over all observations of the solved frames, unplaced ones counting 9: compares
    /// hypotheses.
    [[nodiscard]] double truncatedCost() const;
    /// Reprojection error in px, or nothing when the observation's view or point is missing.
    [[nodiscard]] std::optional<Eigen::Vector2d> residual(const PathObservation& s) const;

  private:
    /// What a bundle over every n-th solved frame works on, and where its views and points belong.
    struct Selection {
        BundleProblem problem;
        std::vector<int> viewFrame, pointPath;
    };
    [[nodiscard]] Selection select(int every) const;
    [[nodiscard]] std::optional<Eigen::Vector2d> undistorted(const PathObservation& s) const {
        return lensOf(s.frame).normalisedFromPixel(s.pixel);
    }
    [[nodiscard]] std::optional<Eigen::MatrixXd> covariance(const std::vector<LensValue>& values, bool readout) const;
    /// Fits a view to the points it sees, with its own focal length if it has one, and row by row if they were read so.
    void refinePose(int frame, View& view, bool usedOnly);
    /// How the views move, for a rolling shutter.
    void takeRates();
    [[nodiscard]] bool rolls() const { return readout_ != 0 || solvesReadout_; }
    /// Focal length that a frame is likely to have, from the solved ones next to it.
    [[nodiscard]] double likelyFocal(int frame) const;
    void collect(int frame, Points3& world, Points2& seen, std::vector<double>& weights, bool usedOnly) const;
    /// Whitened error of a path, an axis, with its slow part multiplied by the root of the observations it spans;
    /// negative when there are none.
    [[nodiscard]] double errorThatCounts(int path) const;
    /// Robust sigma of whitened errors: median of the used ones over that of a unit Rayleigh distribution.
    [[nodiscard]] double robustScale() const;

    Observations observations_;
    Intrinsics lens_;
    std::vector<double> focal_;  ///< px, one a frame; empty: the lens's
    std::vector<std::optional<View>> views_;
    std::vector<std::optional<Eigen::Vector3d>> points_;
    std::vector<double> pathWeight_;  ///< factor on the whitening, one a path
    std::vector<char> slides_;
    bool focalsHeld_ = false;
    std::vector<PointTie> ties_;
    bool tiesPlace_ = false;
    double readout_ = 0;
    bool solvesReadout_ = false;
    std::vector<ViewRate> rates_;  ///< one a frame; empty when all rows are read at once
    double scale_ = 1, slideLimit_ = 0;
    double typicalError_ = 1;  ///< whitened, an axis, of the median path with its slow part counted once
};

}  // namespace va
