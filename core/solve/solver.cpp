// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/solver.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <memory>
#include <optional>
#include <set>

#include "base/text.h"
#include "solve/incremental/free_finish.h"
#include "solve/incremental/growth.h"
#include "solve/incremental/keyframes.h"
#include "solve/incremental/model_choice.h"
#include "solve/incremental/pan_doubt.h"
#include "solve/incremental/refine.h"
#include "solve/incremental/resume.h"
#include "solve/incremental/solve_question.h"
#include "solve/incremental/thresholds.h"
#include "solve/report/free_result.h"
#include "solve/report/rotation_result.h"

namespace va {
namespace {

/// One solve from paths to result: decides what kind of move it is and which steps follow each other. The members are
/// the state that the steps hand on.
class Solver {
  public:
    using Reached = std::function<void(const SolveResult&)>;

    Solver(const std::vector<Path>& paths, const SolveRequest& request, Progress& progress, const Reached& reached = {})
        : paths_(paths), request_(request), progress_(progress), reached_(reached), q_(paths, request) {}

    SolveResult run() {
        const auto start = std::chrono::steady_clock::now();
        progress_.stage(text("Choosing the kind of move"), 0, 0.1);
        solve();
        progress_.check();
        result_.solveSeconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        return std::move(result_);
    }

    SolveResult update(const SolveResult& from) {
        const auto start = std::chrono::steady_clock::now();
        progress_.stage(text("Bringing the solve up to date"), 0, 0.1);
        holdBackAs(from, q_);
        if (!resume(from)) solve();
        progress_.check();
        result_.solveSeconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        return std::move(result_);
    }

  private:
    void solve() {
        for (int f : request_.frames) result_.frames.emplace_back().frame = f;
        const std::vector<FrameIndex> keyframes = chooseKeyframes(q_.observations);
        if (keyframes.size() < 2) {
            const bool anywhere =
                std::any_of(q_.observations.byFrame.begin(), q_.observations.byFrame.end(),
                            [this](const auto& f) { return int(f.size()) >= q_.observations.fewest.seen; });
            result_.trouble =
                request_.frames.size() < 2 || anywhere ? SolveTrouble::tooFewFrames : SolveTrouble::tooFewPaths;
            return;
        }
        pairs_ = rankStartPairs(q_.observations, keyframes, request_.seed);
        if (picturesAreFlat())
            // No pair of a flat scene has parallax against a homography: the longest moves are what there is.
            std::stable_sort(pairs_.begin(), pairs_.end(), [this](const StartPair& a, const StartPair& b) {
                return medianMove(q_.observations, a.a, a.b) * a.shared >
                       medianMove(q_.observations, b.a, b.b) * b.shared;
            });
        if (!pairs_.empty())
            result_.parallaxPx = std::max_element(pairs_.begin(), pairs_.end(), [](auto& a, auto& b) {
                                     return a.parallax < b.parallax;
                                 })->parallax;
        growth_.emplace(q_, pairs_, result_.parallaxPx, progress_);
        if (reached_) growth_->tellFirst([this](const Reconstruction& r) { tellOf(r); });
        MotionEvidence evidence;
        if (noRotationExplainsPictures()) evidence.motion = Motion::free;
        else
            evidence = chooseMotion(q_.observations, keyframes, q_.lens, q_.lensValues(), q_.priors(), request_.seed,
                                    q_.mayZoom() && picturesAreFlat(), q_.rows());
        result_.rotationRmsPx = evidence.rotation.found ? evidence.rotation.robustRmsPx : -1;
        switch (request_.move) {
            case MoveChoice::automatic: break;
            case MoveChoice::free: evidence.motion = Motion::free; break;
            case MoveChoice::nodalPan: evidence.motion = Motion::nodalPan; break;
            case MoveChoice::lockedOff: evidence.motion = Motion::lockedOff; break;
        }
        if (evidence.motion == Motion::nodalPan && !evidence.rotation.found)
            evidence.rotation = solveRotationOnly(q_.observations, keyframes, q_.lens, q_.lensValues(), q_.priors(),
                                                  request_.seed, request_.zoom == ZoomChoice::zooms);
        if (evidence.motion == Motion::lockedOff) return takeFixed(q_, result_);
        if (evidence.motion == Motion::nodalPan && evidence.rotation.found)
            return takeRotation(evidence.rotation, q_.observations, q_, progress_, result_);
        progress_.check();
        solveFree();
        if (request_.move == MoveChoice::automatic) doubtTravel();
        if (request_.move == MoveChoice::automatic) doubtScene();
        if (request_.move == MoveChoice::automatic) doubtLens(evidence.rotation);
    }

    /// A first camera, as a result of its own.
    void tellOf(const Reconstruction& r) const {
        SolveResult first;
        for (const int f : request_.frames) first.frames.emplace_back().frame = f;
        first.parallaxPx = result_.parallaxPx;
        first.preliminary = true;
        takeFree(r, q_, nullptr, 1, first);
        reached_(first);
    }

    /// A free camera makes up for a lens that is not as it was taken to be, or for noise.
    void doubtLens(const RotationSolve& asIs) {
        if (result_.motion != Motion::free || request_.fewPaths) return;
        // A free zoom is only doubted where noise may hide a pan.
        if (result_.zooms && result_.rmsPx <= q_.scaledPx(limits::noisyZoom)) return;
        std::vector<FrameIndex> frames = asIs.frames;
        if (!asIs.found) {
            constexpr size_t most = 30;
            const std::vector<FrameIndex> keyframes = chooseKeyframes(q_.observations);
            const size_t step = (keyframes.size() + most - 1) / most;
            for (size_t i = 0; i < keyframes.size(); i += step) frames.push_back(keyframes[i]);
        }
        const auto pan = panByOtherLens(q_, frames, asIs, result_.rmsPx);
        if (!pan) return;
        SolveResult turning;
        turning.parallaxPx = result_.parallaxPx;
        for (const int f : request_.frames) turning.frames.emplace_back().frame = f;
        result_ = std::move(turning);
        takeRotation(pan->rotation, q_.observations, q_, progress_, result_);
        result_.panCause = pan->cause;
    }

    /// A large thing that turns before a camera on its stand is solved as if it were the scene, and all else is set
    /// aside.
    void doubtScene() {
        if (result_.motion != Motion::free) return;
        std::set<int> rejected;
        for (const SolveOutlier& o : result_.outliers)
            if (o.whole) rejected.insert(o.pathId);
        const Observations& s = q_.observations;
        std::vector<char> explained(s.pathIds.size());
        for (size_t p = 0; p < explained.size(); ++p) explained[p] = !rejected.contains(s.pathIds[p]) && !s.heldBack[p];
        if (!restStandsStill(s, explained)) return;
        SolveResult fixed;
        fixed.parallaxPx = result_.parallaxPx;
        for (const int f : request_.frames) fixed.frames.emplace_back().frame = f;
        takeFixed(q_, fixed);
        fixed.takenForScene = std::make_shared<SolveResult>(std::move(result_));
        result_ = std::move(fixed);
    }

    /// A large thing that moves by itself makes a nodal pan look like a free move, and the free camera that
    /// is then found does not use that thing either: what it does not use can't speak for it.
    void doubtTravel() {
        if (result_.motion != Motion::free) return;
        std::set<int> rejected;
        for (const SolveOutlier& o : result_.outliers)
            if (o.whole) rejected.insert(o.pathId);
        if (rejected.size() * 6 < result_.points.size() + rejected.size()) return;
        Observations used = q_.observations;
        for (size_t p = 0; p < used.pathIds.size(); ++p)
            if (rejected.contains(used.pathIds[p])) used.heldBack[p] = 1;
        // What it says of the distortion does not count for a nodal pan.
        q_.distortionRefused = false;
        const MotionEvidence evidence =
            chooseMotion(used, chooseKeyframes(q_.observations), q_.lens, q_.lensValues(), q_.priors(), request_.seed,
                         q_.mayZoom() && picturesAreFlat(), q_.rows());
        if (evidence.motion != Motion::nodalPan || !evidence.rotation.found) return;
        SolveResult turning;
        turning.parallaxPx = result_.parallaxPx;
        for (int f : request_.frames) turning.frames.emplace_back().frame = f;
        result_ = std::move(turning);
        takeRotation(evidence.rotation, used, q_, progress_, result_);
    }

    /// Whether most pictures are images of each other by a homography: a nodal pan, a zoom, a flat scene, or a far one.
    [[nodiscard]] bool picturesAreFlat() const {
        std::vector<double> shares;
        for (const StartPair& p : pairs_) shares.push_back(p.homographyShare);
        return median(std::move(shares)) > limits::flatShare;
    }

    /// Whether even the pairs that a homography explains best are far from being images of each other by one, and by
    /// more than a lens distorts pictures: then no nodal pan does, with any lens, and none has to be tried.
    [[nodiscard]] bool noRotationExplainsPictures() const {
        std::vector<double> shares, parallaxes;
        for (const StartPair& p : pairs_) shares.push_back(p.homographyShare), parallaxes.push_back(p.parallax);
        if (shares.size() < 8 || median(std::move(parallaxes)) < 0.03 * request_.width) return false;
        const auto upper = shares.begin() + std::ptrdiff_t(shares.size() * 3 / 4);
        std::nth_element(shares.begin(), upper, shares.end());
        return *upper < 0.4;
    }

    void solveFree() {
        FreeFinish finish(q_, *growth_, progress_, result_);
        // Rolling shutter come first: what they do to the pictures looks like a zoom else.
        const auto grown = [&](bool zooms, bool ifPlainlySteady) {
            auto r = growth_->grow(zooms, ifPlainlySteady);
            if (r) finish.readRows(*r);
            return r;
        };
        const bool looksForZoom = q_.mayZoom() && request_.zoom == ZoomChoice::automatic;
        auto best = request_.zoom == ZoomChoice::zooms ? nullptr : grown(false, looksForZoom);
        if (q_.mayZoom() && (!best || growth_->explainsBadly(*best))) {
            // A zoom that is solved with one focal length tears the solve apart, or makes a move of it.
            const bool leftOff = growth_->plainlyZooms();
            auto zooming = grown(true, false);
            if (leftOff && (!zooming || growth_->explainsBadly(*zooming))) best = grown(false, false);
            if (zooming && (!best || growth_->cost(*zooming) < 0.8 * growth_->cost(*best))) best = std::move(zooming);
        } else if (best && looksForZoom) {
            if (auto zooming = growth_->zoomOf(*best)) best = std::move(zooming);
        }
        if (request_.focal == Known::known && request_.focalByFrame.empty() && (!best || growth_->explainsBadly(*best)))
            askWithoutFocal(best ? growth_->cost(*best) : 9);
        if (!best) {
            result_.trouble = pairs_.empty() ? SolveTrouble::tooFewPaths : SolveTrouble::noStart;
            return;
        }
        finish.weighDistortion(*best);
        finish.lookAtMirror(*best);
        askForFocal(*best);
        finish.useMeasures(*best);
        takeFree(*best, q_, nullptr, finish.disagreement(), result_);
    }

    /// Whether the paths contradict a known focal length; what they would ask for is then found by a solve without it,
    /// since the observations that are left were chosen by the wrong one.
    void askForFocal(const Reconstruction& r) {
        if (request_.focal != Known::known || r.zooms()) return;
        const auto cancelled = [this] { return progress_.cancelled(); };
        Reconstruction free = r;
        std::vector<LensValue> values = q_.lensValues();
        values.insert(values.begin(), LensValue::focal);
        refine(free, values, q_.priors(), 25, 1e-5, cancelled);
        const double share = free.lens().focalPx / r.lens().focalPx, fit = free.rms();
        if (std::fabs(std::log(share)) > 0.05 && fit < 0.85 * r.rms()) askWithoutFocal(9);
    }

    /// Where a solve with the known focal length fails: does one that finds it succeed?
    void askWithoutFocal(double had) {
        SolveRequest open = request_;
        open.focal = Known::unknown;
        open.measures.clear();
        open.zoom = ZoomChoice::constant;
        open.move = MoveChoice::free;
        Solver other(paths_, open, progress_);
        other.solve();
        const SolveResult& found = other.result_;
        if (found.motion != Motion::free || found.solvedCount() < q_.observations.frameCount()) return;
        if (found.rmsPx * found.rmsPx * 2 * 9 > 0.7 * had) return;
        result_.askedFocalPx = found.lens.focalPx;
        result_.askedRmsPx = found.rmsPx;
    }

    /// From where an earlier solve stood. False when too little of it is left.
    bool resume(const SolveResult& from) {
        const auto r = resumed(q_, from);
        if (!r) return false;
        for (int f : request_.frames) result_.frames.emplace_back().frame = f;
        // A distortion that was refused is no longer asked for.
        result_.distortionRefusedPx = from.distortionRefusedPx;
        q_.distortionRefused = from.distortionRefusedPx >= 0;
        result_.parallaxPx = from.parallaxPx;
        result_.rotationRmsPx = from.rotationRmsPx;
        growth_.emplace(q_, pairs_, from.parallaxPx, progress_);
        growth_->settleAgain(*r);
        FreeFinish finish(q_, *growth_, progress_, result_);
        // The draft's look has told already, where the two images were far from alike.
        if (!from.draft || from.mirrorRmsPx >= 0) finish.lookAtMirror(*r);
        finish.weighDistortion(*r);
        finish.useMeasures(*r);
        takeFree(*r, q_, &from, finish.disagreement(), result_);
        return true;
    }

    const std::vector<Path>& paths_;
    const SolveRequest& request_;
    Progress& progress_;
    Reached reached_;
    SolveQuestion q_;
    std::vector<StartPair> pairs_;  ///< best first
    std::optional<Growth> growth_;
    SolveResult result_;
};

}  // namespace

SolveResult solveShot(const std::vector<Path>& paths, const SolveRequest& request, Progress& progress,
                      const std::function<void(const SolveResult&)>& reached) {
    return Solver(paths, request, progress, reached).run();
}

SolveResult updateSolve(const std::vector<Path>& paths, const SolveRequest& request, const SolveResult& from,
                        Progress& progress) {
    return Solver(paths, request, progress).update(from);
}

}  // namespace va
