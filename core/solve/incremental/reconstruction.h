// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <map>
#include <optional>
#include <vector>

#include "solve/bundle/bundle.h"
#include "solve/incremental/observations.h"

namespace va {

/// How far each path is believed, in units of what its observations say of their own noise (outliers.h).
struct PathTrust {
    std::vector<double> weight;  ///< factor on the square-root information, one a path; empty: all 1
    std::vector<char> slides;    ///< one a path: set aside because it slides along an edge or holds two surfaces
    double scale = 1;            ///< robust sigma of all errors over the stated one
    double slideLimit = 0;       ///< px: path error above which the last sieve for sliding paths took one out; 0 before
    double typicalError = 1;     ///< of the median path, an axis, over the stated sigma, its slow part counted once
};

/// A free-move reconstruction as far as it has come: views for some frames, points for some paths, one lens, and how
/// far each path is believed. World: the first view's axes, vision convention. It is only the state: the steps that
/// change it stand in files of their own (first_pair.h, frame_poses.h, point_placement.h, refine.h, outliers.h,
/// depth_mirror.h), and growth.cpp and free_finish.cpp decide their order (docs/methods.md).
class Reconstruction {
  public:
    /// `zooms`: every frame has a focal length of its own.
    Reconstruction(Observations observations, Intrinsics start, bool zooms = false);

    // ---- frames ---------------------------------------------------------------------------------------------------
    [[nodiscard]] const ByFrame<std::optional<View>>& views() const { return views_; }
    [[nodiscard]] bool hasView(FrameIndex frame) const { return views_[frame].has_value(); }
    [[nodiscard]] int solvedFrames() const;
    /// After the last of several views updateRates() has to be called.
    void setView(FrameIndex frame, const View& view) { views_[frame] = view; }

    // ---- points ---------------------------------------------------------------------------------------------------
    /// One a path; empty where the path has no place.
    [[nodiscard]] const std::vector<std::optional<Eigen::Vector3d>>& points() const { return points_; }
    [[nodiscard]] int pointCount() const;
    void setPoint(int path, const Eigen::Vector3d& place) { points_[size_t(path)] = place; }
    void dropPoint(int path) { points_[size_t(path)].reset(); }
    /// What else is known of points, by path indices, in this space; taken into every refine(). `placed`: they say
    /// where the world lies, so that no view has to.
    void setTies(std::vector<PointTie> ties, bool placed) { ties_ = std::move(ties), tiesPlace_ = placed; }
    [[nodiscard]] const std::vector<PointTie>& ties() const { return ties_; }
    [[nodiscard]] bool tiesPlace() const { return tiesPlace_; }

    // ---- lens -----------------------------------------------------------------------------------------------------
    /// What all frames share; with a zoom its focal length is the middle one of the solved frames'.
    [[nodiscard]] const Intrinsics& lens() const { return lens_; }
    [[nodiscard]] Intrinsics lensOf(FrameIndex frame) const;
    void setLens(const Intrinsics& lens) { lens_ = lens; }
    /// Takes this distortion instead of the solved one; the next refine() settles the rest around it.
    void holdDistortion(const LensModel& distortion) { lens_.lens = distortion; }
    [[nodiscard]] bool zooms() const { return !focal_.empty(); }
    /// The focal lengths are given, and stay.
    [[nodiscard]] bool focalsHeld() const { return focalsHeld_; }
    /// Whether each frame's focal length is to be found.
    [[nodiscard]] bool findsFocals() const { return zooms() && !focalsHeld_; }
    /// Every frame has the focal length that is given here, and keeps it.
    void holdFocals(const std::vector<double>& px) { focal_ = ByFrame(px), focalsHeld_ = true; }
    /// From now on every frame has a focal length of its own, or all the same again.
    void setZooms(bool zooms) { focal_.assign(zooms ? size_t(views_.count()) : 0, lens_.focalPx); }
    /// Of a lens that zooms; nothing happens with another.
    void setFocal(FrameIndex frame, double px) {
        if (zooms()) focal_[frame] = px;
    }
    /// Focal length that a frame is likely to have: that of the nearest other frame with a view, else the lens's.
    [[nodiscard]] double likelyFocal(FrameIndex frame) const;

    // ---- rolling shutter ------------------------------------------------------------------------------------------
    /// The last row is read `readout` frames after the first; `solve`: that time is solved, from there.
    void setReadout(double readout, bool solve);
    [[nodiscard]] double readout() const { return readout_; }
    [[nodiscard]] bool solvesReadout() const { return solvesReadout_; }
    [[nodiscard]] bool rolls() const { return readout_ != 0 || solvesReadout_; }
    /// How the views move; empty when all rows are read at once.
    [[nodiscard]] const ByFrame<ViewRate>& rates() const { return rates_; }
    /// Takes the rates from the views as they stand, but for those that were measured.
    void updateRates();
    /// How the camera moved in a frame whose neighbours do not tell (end_rates.h).
    void setMeasuredRate(FrameIndex frame, const ViewRate& rate);
    void forgetMeasuredRates() { measuredRates_.clear(); }
    [[nodiscard]] const std::map<FrameIndex, ViewRate>& measuredRates() const { return measuredRates_; }

    // ---- observations ---------------------------------------------------------------------------------------------
    [[nodiscard]] const Observations& observations() const { return observations_; }
    /// Whether the solve goes by an observation (an index into Observations::all).
    void setUse(int observation, bool use) { observations_.all[size_t(observation)].use = use; }
    /// The view of an observation's frame as it stood when its row was read.
    [[nodiscard]] std::optional<View> viewOf(const PathObservation& s) const;
    /// Where the observation's ray meets the plane z = 1 of its camera, the lens undone.
    [[nodiscard]] std::optional<Eigen::Vector2d> undistorted(const PathObservation& s) const {
        return lensOf(s.frame).normalisedFromPixel(s.pixel);
    }
    /// Reprojection error in px, or nothing when the observation's view or point is missing.
    [[nodiscard]] std::optional<Eigen::Vector2d> residual(const PathObservation& s) const;
    /// Points that the frame sees and that have a position.
    [[nodiscard]] int placedIn(FrameIndex frame) const;

    // ---- how well it fits -----------------------------------------------------------------------------------------
    [[nodiscard]] const PathTrust& trust() const { return trust_; }
    [[nodiscard]] PathTrust& trust() { return trust_; }
    [[nodiscard]] double pathWeight(int path) const { return trust_.weight.empty() ? 1 : trust_.weight[size_t(path)]; }
    [[nodiscard]] bool slides(int path) const { return trust_.slides[size_t(path)]; }
    /// By how much errors that go on over frames make every deviation larger.
    [[nodiscard]] double errorsTogether() const { return std::max(1.0, trust_.typicalError / trust_.scale); }
    /// Root mean square error over all observations in use, px.
    [[nodiscard]] double rms() const;
    /// RMS error of the path's used observations in px; negative when it has none.
    [[nodiscard]] double pathRms(int path) const;
    /// Mean of min(error² over a third of a pixel squared, 9) over all observations of the solved frames, unplaced ones
    /// counting 9: compares hypotheses.
    [[nodiscard]] double truncatedCost() const;
    /// The same over observations of paths that have a position alone.
    [[nodiscard]] double placedCost() const;

  private:
    [[nodiscard]] double meanCost(bool placedOnly) const;
    Observations observations_;
    Intrinsics lens_;
    ByFrame<double> focal_;  ///< px; empty: the lens's
    ByFrame<std::optional<View>> views_;
    std::vector<std::optional<Eigen::Vector3d>> points_;
    PathTrust trust_;
    bool focalsHeld_ = false;
    std::vector<PointTie> ties_;
    bool tiesPlace_ = false;
    double readout_ = 0;
    bool solvesReadout_ = false;
    ByFrame<ViewRate> rates_;
    std::map<FrameIndex, ViewRate> measuredRates_;
};

}  // namespace va
