// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <vector>

#include "base/progress.h"
#include "solve/bundle.h"
#include "solve/sightings.h"

namespace va {

/// A growing free-move reconstruction: views for some frames, points for some paths, one lens. Each function is one step of the
/// method in docs/methods.md; the caller (solver.cpp) decides their order. World: the first view's axes, vision convention.
class Reconstruction {
  public:
    Reconstruction(Sightings sightings, Intrinsics start) : sightings_(std::move(sightings)), lens_(std::move(start)),
        views_(sightings_.frames.size()), points_(sightings_.pathIds.size()) {}

    /// Starts from two frames by a robust essential matrix. False when it can't be had or too few points come of it.
    bool begin(int frameA, int frameB, uint64_t seed);
    /// Adds a frame by resection against the points it sees, starting from `near` if given. False with fewer than eight points
    /// or when fewer than half agree.
    bool addFrame(int frame, uint64_t seed, const View* near = nullptr);
    /// Gives a place to every path that has none yet and is seen by two solved views under at least `leastAngle` radians.
    int addPoints(double leastAngle);
    /// Bundle over all solved views; `solved` lens values are free. Returns the whitened robust scale afterwards.
    BundleSummary refine(const std::vector<LensValue>& solved, const std::vector<BundleOptions::Prior>& priors, int iterations, double stop,
                         const std::function<bool()>& cancelled = {});
    /// Marks sightings farther than `limit` robust sigmas as not used, brings back those within, and drops points that are left with
    /// fewer than three sightings, lie behind a camera, or of whose sightings fewer than half agree.
    void judge(double limit);
    /// Weighs every path by how well it fits: a path that slides or sits on an edge has errors that are alike from frame to frame,
    /// and counting each frame as new evidence would let it bend the camera.
    void weighPaths();

    [[nodiscard]] int solvedFrames() const;
    [[nodiscard]] int pointCount() const;
    [[nodiscard]] bool hasView(int frame) const { return views_[size_t(frame)].has_value(); }
    [[nodiscard]] const std::vector<std::optional<View>>& views() const { return views_; }
    [[nodiscard]] const std::vector<std::optional<Eigen::Vector3d>>& points() const { return points_; }
    [[nodiscard]] const Intrinsics& lens() const { return lens_; }
    [[nodiscard]] const Sightings& sightings() const { return sightings_; }
    /// Points that the frame sees and that have a place.
    [[nodiscard]] int placedIn(int frame) const;
    /// Mean of min(whitened error², 9) over all sightings of the solved frames, unplaced ones counting 9: compares hypotheses.
    [[nodiscard]] double truncatedCost() const;
    /// Reprojection error in px, or nothing when the sighting's view or point is missing.
    [[nodiscard]] std::optional<Eigen::Vector2d> residual(const PathSighting& s) const;

  private:
    [[nodiscard]] std::optional<Eigen::Vector2d> straight(const PathSighting& s) const { return lens_.normalisedFromPixel(s.pixel); }
    /// Robust sigma of whitened errors: median of the used ones over that of a unit Rayleigh distribution.
    [[nodiscard]] double robustScale() const;

    Sightings sightings_;
    Intrinsics lens_;
    std::vector<std::optional<View>> views_;
    std::vector<std::optional<Eigen::Vector3d>> points_;
    std::vector<double> pathWeight_;  ///< factor on the whitening, one a path
    double scale_ = 1;
};

}  // namespace va
