// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/growth.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <set>

#include "base/parallel.h"
#include "base/text.h"
#include "lens/convert_lens.h"
#include "solve/incremental/first_pair.h"
#include "solve/incremental/frame_poses.h"
#include "solve/incremental/outliers.h"
#include "solve/incremental/point_placement.h"
#include "solve/incremental/refine.h"
#include "solve/incremental/thresholds.h"

namespace va {

Growth::Growth(const SolveQuestion& question, const std::vector<StartPair>& pairs, double parallaxPx,
               Progress& progress)
    : q_(question), pairs_(pairs), parallaxPx_(parallaxPx), progress_(progress), cancelled_([&progress] {
          return progress.cancelled();
      }) {}

std::unique_ptr<Reconstruction> Growth::grow(bool zooms, bool ifPlainlySteady) {
    progress_.stage(text("Finding a first camera"), 0, 0.1);
    plainlyZooms_ = false;
    // A zoom changes the picture between keyframes that a steady lens would leave far apart.
    keyframes_ = zooms ? chooseKeyframes(q_.observations, limits::zoomKeyframeStep) : chooseKeyframes(q_.observations);
    auto starts = findStarts(zooms);
    if (starts.empty()) return nullptr;
    progress_.stage(text("Growing the solve"), q_.observations.frameCount(), 0.1);
    progress_.advance(starts.front()->solvedFrames());
    // A zoom around a subject that stays in the middle leaves the focal lengths nearly free: from a few frames
    // several answers look alike, and all frames have to tell them apart.
    std::unique_ptr<Reconstruction> best;
    for (auto& start : starts) {
        growOverKeyframes(*start);
        if (!best || cost(*start) < cost(*best)) best = std::move(start);
    }
    plainlyZooms_ = ifPlainlySteady && keyframesZoom(*best);
    if (plainlyZooms_) return nullptr;
    fillBetween(*best);
    progress_.stage(text("Refining the solve"), 4, 0.15);
    refineAll(*best, tellFirst_);
    return best;
}

bool Growth::keyframesZoom(const Reconstruction& steady) const {
    if (steady.solvedFrames() < limits::zoomKeyframes) return false;
    const auto costOf = [&](Reconstruction& r) {
        const BundleSummary b = refine(r, q_.lensValues(), q_.priors(), 6, 1e-4, cancelled_);
        return b.usable ? b.finalCost : INFINITY;
    };
    Reconstruction same = steady, zooming = steady;
    const double without = costOf(same);
    zooming.setZooms(true);
    return costOf(zooming) < limits::zoomKeyframeGain * without && focalRange(zooming) > limits::zoomKeyframeRange;
}

/// Longest over shortest focal length of the views.
double Growth::focalRange(const Reconstruction& r) const {
    double low = INFINITY, high = 0;
    for (const FrameIndex f : q_.observations.indices())
        if (r.hasView(f)) low = std::min(low, r.lensOf(f).focalPx), high = std::max(high, r.lensOf(f).focalPx);
    return high / low;
}

std::unique_ptr<Reconstruction> Growth::zoomOf(const Reconstruction& steady) {
    auto r = std::make_unique<Reconstruction>(steady);
    const int every = (q_.observations.frameCount() + 24) / 25;
    const auto costOfSome = [&](Reconstruction& some) {
        const BundleSummary b = refine(some, q_.lensValues(), q_.priors(), 6, 1e-4, cancelled_, every);
        return b.usable ? b.finalCost : INFINITY;
    };
    Reconstruction same = steady;
    const double without = costOfSome(same);
    r->setZooms(true);
    const double with = costOfSome(*r);
    if (with > limits::zoomQuickGain * without) return nullptr;
    // Less is the breathing that correlated errors bring about.
    if (!(focalRange(*r) > limits::zoomRange)) return nullptr;
    refineAll(*r);
    return cost(*r) < limits::zoomGain * cost(steady) ? std::move(r) : nullptr;
}

std::vector<std::unique_ptr<Reconstruction>> Growth::findStarts(bool zooms) {
    std::vector<double> focals{q_.lens.focalPx};
    if (q_.request.focal == Known::unknown)
        focals = {q_.lens.focalPx * 0.65, q_.lens.focalPx, q_.lens.focalPx * 1.6, q_.lens.focalPx * 2.6};
    struct Try {
        StartPair pair;
        double focal;
        FirstPairBy by;
        std::unique_ptr<Reconstruction> r;
        double cost = 9;
    };
    std::vector<Try> tries;
    for (size_t p = 0; p < std::min<size_t>(2, pairs_.size()); ++p)
        for (double f : focals)
            // A flat scene's pair has two readings; which is right the frames after tell.
            for (const FirstPairBy by :
                 {FirstPairBy::essential, FirstPairBy::planeReadingOne, FirstPairBy::planeReadingTwo})
                if (by == FirstPairBy::essential || (pairs_[p].homographyShare > limits::flatShare && !zooms))
                    tries.push_back({pairs_[p], f, by, nullptr, 9});
    parallelRanges(int(tries.size()), 1, [&](int begin, int end) {
        for (int i = begin; i < end; ++i) {
            if (progress_.cancelled()) return;
            Try& t = tries[size_t(i)];
            Intrinsics lens = q_.lens;
            // A start value of the distortion was found in the picture, for the focal length that was assumed.
            lens.lens = distortionForFocal(q_.lens.lens, t.focal / q_.lens.focalPx);
            lens.focalPx = t.focal;
            auto r = std::make_unique<Reconstruction>(q_.observations, lens, zooms);
            if (!q_.request.focalByFrame.empty()) r->holdFocals(q_.request.focalByFrame.in(r->observations().frames));
            if (!beginFrom(*r, t.pair.a, t.pair.b, q_.request.seed, angle(limits::startAngle), t.by)) continue;
            if (!settleStart(*r, t.pair)) continue;
            // A pair alone fits nearly anything: frames that could not be hung on it count as wholly wrong.
            const int wanted = 2 + std::min(6, int(keyframes_.size()) - 2), has = std::min(wanted, r->solvedFrames());
            t.cost = (r->truncatedCost() * has + 9 * (wanted - has)) / wanted;
            t.r = std::move(r);
        }
    });
    progress_.check();
    std::erase_if(tries, [](const Try& t) { return !t.r; });
    std::stable_sort(tries.begin(), tries.end(), [](const Try& a, const Try& b) { return a.cost < b.cost; });
    std::vector<std::unique_ptr<Reconstruction>> out;
    for (Try& t : tries) {
        const double focal = t.r->lens().focalPx;
        const bool alike = std::any_of(out.begin(), out.end(), [&](const auto& r) {
            return std::fabs(std::log(r->lens().focalPx / focal)) < 0.05;
        });
        if (out.empty() || (zooms && !alike && out.size() < 4)) out.push_back(std::move(t.r));
    }
    return out;
}

bool Growth::settleStart(Reconstruction& r, const StartPair& pair) const {
    refine(r, {}, {}, 10, 1e-3, cancelled_);
    std::vector<FrameIndex> around;
    for (const FrameIndex k : keyframes_)
        if (!r.hasView(k)) around.push_back(k);
    const FrameIndex middle((pair.a.value() + pair.b.value()) / 2);
    std::stable_sort(around.begin(), around.end(),
                     [&](FrameIndex x, FrameIndex y) { return std::abs(x - middle) < std::abs(y - middle); });
    if (around.size() > 6) around.resize(6);
    for (const FrameIndex k : around) {
        addFrame(r, k, q_.request.seed);
        if (r.zooms()) refine(r, {LensValue::focal}, q_.priors(), 6, 1e-3, cancelled_);
    }
    if (q_.request.focal == Known::unknown) refine(r, {LensValue::focal}, q_.priors(), 25, 1e-4, cancelled_);
    if (r.zooms()) refine(r, {LensValue::focal}, q_.priors(), 25, 1e-4, cancelled_);
    addPoints(r, angle(limits::growthAngle));
    for (const FrameIndex k : around)
        if (!r.hasView(k)) addFrame(r, k, q_.request.seed);
    refine(r, q_.lensValues(), q_.priors(), 25, 1e-4, cancelled_);
    classifyOutliers(r, limits::startOutliers);
    addPoints(r, angle(limits::growthAngle));
    refine(r, q_.lensValues(), q_.priors(), 25, 1e-4, cancelled_);
    return r.lens().focalPx > 0.2 * q_.request.width && r.lens().focalPx < 30.0 * q_.request.width &&
           r.pointCount() >= q_.observations.fewest.placed;
}

void Growth::growOverKeyframes(Reconstruction& r) {
    std::set<FrameIndex> gaveUp;
    int sinceRefined = 0;
    while (true) {
        progress_.check();
        std::optional<FrameIndex> next;
        int most = q_.observations.fewest.seen - 1;
        for (const FrameIndex k : keyframes_) {
            if (r.hasView(k) || gaveUp.contains(k)) continue;
            const int placed = r.placedIn(k);
            if (placed > most) most = placed, next = k;
        }
        if (!next) break;
        if (!addFrame(r, *next, q_.request.seed)) {
            gaveUp.insert(*next);
            continue;
        }
        progress_.advance();
        addPoints(r, angle(limits::growthAngle));
        // Errors grow with the number of frames hung on without a bundle.
        if (++sinceRefined >= std::max(3, r.solvedFrames() / 5)) {
            refine(r, q_.lensValues(), q_.priors(), 10, 1e-4, cancelled_);
            classifyOutliers(r, limits::growthOutliers);
            sinceRefined = 0;
            gaveUp.clear();
        }
    }
    refine(r, q_.lensValues(), q_.priors(), 20, 1e-5, cancelled_);
    classifyOutliers(r, limits::startOutliers);
    addPoints(r, angle(limits::keyframeAngle));
    refine(r, q_.lensValues(), q_.priors(), 20, 1e-5, cancelled_);
}

void Growth::fillBetween(Reconstruction& r) {
    const int count = q_.observations.frameCount();
    bool grown = true;
    while (grown) {
        grown = false;
        for (int pass = 0; pass < 2; ++pass) {
            for (int i = 0; i < count; ++i) {
                const FrameIndex f(pass == 0 ? i : count - 1 - i), neighbour = pass == 0 ? f - 1 : f + 1;
                if (r.hasView(f) || neighbour < FrameIndex(0) || neighbour >= FrameIndex(count) ||
                    !r.hasView(neighbour))
                    continue;
                progress_.check();
                const View near = *r.views()[neighbour];
                if (addFrame(r, f, q_.request.seed, &near)) {
                    grown = true;
                    progress_.advance();
                }
            }
        }
        if (grown && r.solvedFrames() < q_.observations.frameCount())
            grown = addPoints(r, angle(limits::keyframeAngle)) > 0;
    }
    addPoints(r, angle(limits::finalAngle));
}

void Growth::refineAll(Reconstruction& r, const FirstCamera& tell) {
    classifyOutliers(r, limits::growthOutliers);
    const int every = std::max(1, q_.observations.frameCount() / 40);
    for (int round = 0; round < 3; ++round) {
        progress_.check();
        refine(r, q_.lensValues(), q_.priors(), 12, 1e-4, cancelled_, every);
        refinePoses(r);
        weighPaths(r);
        classifyOutliers(r, limits::outliers);
        addPoints(r, angle(limits::finalAngle));
        if (round == 0 && tell && r.solvedFrames() == q_.observations.frameCount()) tell(r);
        progress_.advance();
    }
    setAsideSliding(r, limits::slidingTimes, q_.scaledPx(limits::slidingNever));
    refine(r, q_.lensValues(), q_.priors(), 12, 1e-5, cancelled_);
    classifyOutliers(r, limits::outliers);
    if (!q_.request.draft) settleZoom(r);
    progress_.advance();
}

void Growth::settleAgain(Reconstruction& r) {
    classifyOutliers(r, limits::growthOutliers);
    addPoints(r, angle(limits::finalAngle));
    if (r.solvedFrames() < q_.observations.frameCount()) fillBetween(r);
    weighPaths(r);
    classifyOutliers(r, limits::outliers);
    progress_.check();
    // A thing of few paths needs all that it was seen in.
    const int every = q_.request.fewPaths ? 1 : std::max(1, q_.observations.frameCount() / 40);
    refine(r, q_.lensValues(), q_.priors(), 6, 1e-4, cancelled_, every);
    if (every > 1) refinePoses(r);
    weighPaths(r);
    setAsideSliding(r, limits::slidingTimes, q_.scaledPx(limits::slidingNever));
    classifyOutliers(r, limits::outliers);
    addPoints(r, angle(limits::finalAngle));
    progress_.check();
    refine(r, q_.lensValues(), q_.priors(), 10, 1e-5, cancelled_);
    classifyOutliers(r, limits::outliers);
    settleZoom(r);
}

void Growth::settleZoom(Reconstruction& r) {
    double had = 0;
    for (int round = 0; r.zooms() && round < 4 && std::fabs(std::log(r.lens().focalPx / had)) > 2e-4; ++round) {
        progress_.check();
        had = r.lens().focalPx;
        weighPaths(r);
        classifyOutliers(r, limits::outliers);
        addPoints(r, angle(limits::finalAngle));
        refine(r, q_.lensValues(), q_.priors(), 12, 1e-5, cancelled_);
        classifyOutliers(r, limits::outliers);
    }
}

double Growth::cost(const Reconstruction& r) const {
    const double share = double(r.solvedFrames()) / q_.observations.frameCount();
    return share * r.truncatedCost() + (1 - share) * 9;
}

bool Growth::explainsBadly(const Reconstruction& r) const {
    // What has no position may move by itself; a zoom or a wrong lens spoils the fit of what has one too.
    return r.solvedFrames() < q_.observations.frameCount() ||
           (r.truncatedCost() > limits::badCost && r.placedCost() > limits::badFit);
}

double Growth::angle(double usual) const { return std::clamp(0.4 * parallaxPx_ / q_.lens.focalPx, 0.0007, usual); }

}  // namespace va
