// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <memory>
#include <vector>

#include "base/progress.h"
#include "solve/incremental/keyframes.h"
#include "solve/incremental/reconstruction.h"
#include "solve/incremental/solve_question.h"

namespace va {

/// From start pairs to a free camera for every frame that can be reached: the first camera, growth over keyframes,
/// then over all frames, and the refining that settles weights and outliers. Assumes that the scene stands still for
/// most of the paths and that the camera's position changes; the steps are those of docs/methods.md. The question must
/// outlive it. Throws Cancelled between steps.
class Growth {
  public:
    /// `pairs`: best first. `parallaxPx`: how much the shot has to give, of the best pair.
    Growth(const SolveQuestion& question, const std::vector<StartPair>& pairs, double parallaxPx, Progress& progress);

    /// What is told of a first camera over all frames as soon as it stands: half refined, its weights not settled.
    using FirstCamera = std::function<void(const Reconstruction&)>;

    /// From nothing. Null where no pair gives a first camera. `ifPlainlySteady` ends a steady camera, and gives null,
    /// where its keyframes show plainly that the lens zooms: filling in the frames between would be for nothing.
    std::unique_ptr<Reconstruction> grow(bool zooms, bool ifPlainlySteady = false);
    /// Whether the last growth ended because its keyframes zoom plainly.
    [[nodiscard]] bool plainlyZooms() const { return plainlyZooms_; }
    /// Is to be told of the first camera of each growth from nothing that reaches all frames.
    void tellFirst(FirstCamera tell) { tellFirst_ = std::move(tell); }
    /// From a solve with one focal length to one with a focal length a frame; null unless that explains notably more.
    std::unique_ptr<Reconstruction> zoomOf(const Reconstruction& steady);
    /// Takes in frames and paths that are not yet there and settles again: after an edit, or when what the observations
    /// are explained by has changed.
    void settleAgain(Reconstruction& r);

    /// Mean truncated cost over all frames: those that were not reached count as wrong.
    [[nodiscard]] double cost(const Reconstruction& r) const;
    /// Frames out of reach, or more than a third of the observations wrong, and not for being of something else.
    [[nodiscard]] bool explainsBadly(const Reconstruction& r) const;
    /// Angle between rays that places a point: as usual, or less where the shot has less parallax to give.
    [[nodiscard]] double angle(double usual) const;

  private:
    /// Tries focal lengths on the best start pairs, each grown over a few keyframes, and keeps the one that explains
    /// most. With a zoom all starts of different focal lengths are given, best first; else the best alone.
    std::vector<std::unique_ptr<Reconstruction>> findStarts(bool zooms);
    /// Grows a start over the keyframes around its pair and lets focal length and lens settle.
    bool settleStart(Reconstruction& r, const StartPair& pair) const;
    void growOverKeyframes(Reconstruction& r);
    /// Whether the keyframes of a steady camera are explained far better by one that zooms.
    [[nodiscard]] bool keyframesZoom(const Reconstruction& steady) const;
    [[nodiscard]] double focalRange(const Reconstruction& r) const;
    /// Solves the frames between keyframes from their neighbours, near to far.
    void fillBetween(Reconstruction& r);
    /// Weights and outliers settle on a selection of frames, which is quick; then all frames are fitted to that, and
    /// bundled once.
    void refineAll(Reconstruction& r, const FirstCamera& tell = {});
    /// Weights that were found with other focal lengths are not yet right: those and depths go on along their valley
    /// until both agree. Nothing to do without a zoom.
    void settleZoom(Reconstruction& r);

    const SolveQuestion& q_;
    const std::vector<StartPair>& pairs_;
    double parallaxPx_;
    Progress& progress_;
    std::function<bool()> cancelled_;
    std::vector<FrameIndex> keyframes_;
    FirstCamera tellFirst_;
    bool plainlyZooms_ = false;
};

}  // namespace va
