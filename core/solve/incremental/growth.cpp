// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/growth.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "base/parallel.h"
#include "lens/convert_lens.h"

namespace va {

Growth::Growth(const SolveQuestion& question, const std::vector<StartPair>& pairs, double parallaxPx,
               Progress& progress)
    : q_(question), pairs_(pairs), parallaxPx_(parallaxPx), progress_(progress), cancelled_([&progress] {
          return progress.cancelled();
      }) {}

std::unique_ptr<Reconstruction> Growth::grow(bool zooms) {
    progress_.stage("Finding a first camera", 0, 0.1);
    // A zoom changes the picture between keyframes that a steady lens would leave far apart.
    keyframes_ = zooms ? chooseKeyframes(q_.observations, 1 / 70.0) : chooseKeyframes(q_.observations);
    auto starts = findStarts(zooms);
    if (starts.empty()) return nullptr;
    progress_.stage("Growing the solve", q_.observations.frameCount(), 0.1);
    progress_.advance(starts.front()->solvedFrames());
    // A zoom around a subject that stays in the middle leaves the focal lengths nearly free: from a few frames
    // several answers look alike, and all frames have to tell them apart.
    std::unique_ptr<Reconstruction> best;
    for (auto& start : starts) {
        growOverKeyframes(*start);
        if (!best || cost(*start) < cost(*best)) best = std::move(start);
    }
    fillBetween(*best);
    progress_.stage("Refining the solve", 4, 0.15);
    refineAll(*best);
    return best;
}

std::unique_ptr<Reconstruction> Growth::zoomOf(const Reconstruction& steady) {
    auto r = std::make_unique<Reconstruction>(steady);
    r->setZooms(true);
    const int every = std::max(1, q_.observations.frameCount() / 25);
    r->refine(q_.lensValues(), q_.priors(), 6, 1e-4, cancelled_, every);
    double low = INFINITY, high = 0;
    for (int f = 0; f < q_.observations.frameCount(); ++f)
        if (r->hasView(f)) low = std::min(low, r->lensOf(f).focalPx), high = std::max(high, r->lensOf(f).focalPx);
    // Less is the breathing that correlated errors bring about.
    if (!(high > 1.015 * low)) return nullptr;
    refineAll(*r);
    return cost(*r) < 0.93 * cost(steady) ? std::move(r) : nullptr;
}

std::vector<std::unique_ptr<Reconstruction>> Growth::findStarts(bool zooms) {
    std::vector<double> focals{q_.lens.focalPx};
    if (q_.request.focal == Known::unknown)
        focals = {q_.lens.focalPx * 0.65, q_.lens.focalPx, q_.lens.focalPx * 1.6, q_.lens.focalPx * 2.6};
    struct Try {
        StartPair pair;
        double focal;
        int plane;
        std::unique_ptr<Reconstruction> r;
        double cost = 9;
    };
    std::vector<Try> tries;
    for (size_t p = 0; p < std::min<size_t>(2, pairs_.size()); ++p)
        for (double f : focals)
            // A flat scene's pair has two readings; which is right the frames after tell.
            for (int plane = -1; plane < (pairs_[p].homographyShare > 0.8 && !zooms ? 2 : 0); ++plane)
                tries.push_back({pairs_[p], f, plane, nullptr, 9});
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
            if (!r->begin(t.pair.a, t.pair.b, q_.request.seed, angle(0.003), t.plane)) continue;
            if (!settleStart(*r, t.pair)) continue;
            // A pair alone fits nearly anything: frames that could not be hung on it count against it.
            const int wanted = 2 + std::min(6, int(keyframes_.size()) - 2), has = std::min(wanted, r->solvedFrames());
            t.cost = (r->truncatedCost() * has + 3.0 * (wanted - has)) / wanted;
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
    r.refine({}, {}, 10, 1e-3, cancelled_);
    std::vector<int> around;
    for (int k : keyframes_)
        if (!r.hasView(k)) around.push_back(k);
    const int middle = (pair.a + pair.b) / 2;
    std::stable_sort(around.begin(), around.end(),
                     [&](int x, int y) { return std::abs(x - middle) < std::abs(y - middle); });
    if (around.size() > 6) around.resize(6);
    for (int k : around) {
        r.addFrame(k, q_.request.seed);
        if (r.zooms()) r.refine({LensValue::focal}, q_.priors(), 6, 1e-3, cancelled_);
    }
    if (q_.request.focal == Known::unknown) r.refine({LensValue::focal}, q_.priors(), 25, 1e-4, cancelled_);
    if (r.zooms()) r.refine({LensValue::focal}, q_.priors(), 25, 1e-4, cancelled_);
    r.addPoints(angle(0.02));
    for (int k : around)
        if (!r.hasView(k)) r.addFrame(k, q_.request.seed);
    r.refine(q_.lensValues(), q_.priors(), 25, 1e-4, cancelled_);
    r.classifyOutliers(5);
    r.addPoints(angle(0.02));
    r.refine(q_.lensValues(), q_.priors(), 25, 1e-4, cancelled_);
    return r.lens().focalPx > 0.2 * q_.request.width && r.lens().focalPx < 30.0 * q_.request.width &&
           r.pointCount() >= q_.observations.fewest.placed;
}

void Growth::growOverKeyframes(Reconstruction& r) {
    std::set<int> gaveUp;
    int sinceRefined = 0;
    while (true) {
        progress_.check();
        int next = -1, most = q_.observations.fewest.seen - 1;
        for (int k : keyframes_) {
            if (r.hasView(k) || gaveUp.contains(k)) continue;
            const int placed = r.placedIn(k);
            if (placed > most) most = placed, next = k;
        }
        if (next < 0) break;
        if (!r.addFrame(next, q_.request.seed)) {
            gaveUp.insert(next);
            continue;
        }
        progress_.advance();
        r.addPoints(angle(0.02));
        // Errors grow with the number of frames hung on without a bundle.
        if (++sinceRefined >= std::max(3, r.solvedFrames() / 5)) {
            r.refine(q_.lensValues(), q_.priors(), 10, 1e-4, cancelled_);
            r.classifyOutliers(6);
            sinceRefined = 0;
            gaveUp.clear();
        }
    }
    r.refine(q_.lensValues(), q_.priors(), 20, 1e-5, cancelled_);
    r.classifyOutliers(5);
    r.addPoints(angle(0.01));
    r.refine(q_.lensValues(), q_.priors(), 20, 1e-5, cancelled_);
}

void Growth::fillBetween(Reconstruction& r) {
    bool grown = true;
    while (grown) {
        grown = false;
        for (int pass = 0; pass < 2; ++pass) {
            for (int i = 0; i < q_.observations.frameCount(); ++i) {
                const int f = pass == 0 ? i : q_.observations.frameCount() - 1 - i,
                          neighbour = pass == 0 ? f - 1 : f + 1;
                if (r.hasView(f) || neighbour < 0 || neighbour >= q_.observations.frameCount() || !r.hasView(neighbour))
                    continue;
                progress_.check();
                const View near = *r.views()[size_t(neighbour)];
                if (r.addFrame(f, q_.request.seed, &near)) {
                    grown = true;
                    progress_.advance();
                }
            }
        }
        if (grown && r.solvedFrames() < q_.observations.frameCount()) grown = r.addPoints(angle(0.01)) > 0;
    }
    r.addPoints(angle(0.005));
}

void Growth::refineAll(Reconstruction& r) {
    r.classifyOutliers(6);
    const int every = std::max(1, q_.observations.frameCount() / 40);
    for (int round = 0; round < 3; ++round) {
        progress_.check();
        r.refine(q_.lensValues(), q_.priors(), 12, 1e-4, cancelled_, every);
        r.refinePoses();
        r.weighPaths();
        r.classifyOutliers(4.5);
        r.addPoints(angle(0.005));
        progress_.advance();
    }
    r.setAsideSliding(3.5, q_.scaledPx(0.4));
    r.refine(q_.lensValues(), q_.priors(), 12, 1e-5, cancelled_);
    r.classifyOutliers(4.5);
    settleZoom(r);
    progress_.advance();
}

void Growth::settleAgain(Reconstruction& r) {
    r.classifyOutliers(6);
    r.addPoints(angle(0.005));
    if (r.solvedFrames() < q_.observations.frameCount()) fillBetween(r);
    r.weighPaths();
    r.classifyOutliers(4.5);
    progress_.check();
    r.refine(q_.lensValues(), q_.priors(), 6, 1e-4, cancelled_);
    r.weighPaths();
    r.setAsideSliding(3.5, q_.scaledPx(0.4));
    r.classifyOutliers(4.5);
    r.addPoints(angle(0.005));
    progress_.check();
    r.refine(q_.lensValues(), q_.priors(), 10, 1e-5, cancelled_);
    r.classifyOutliers(4.5);
    settleZoom(r);
}

void Growth::settleZoom(Reconstruction& r) {
    double had = 0;
    for (int round = 0; r.zooms() && round < 4 && std::fabs(std::log(r.lens().focalPx / had)) > 2e-4; ++round) {
        progress_.check();
        had = r.lens().focalPx;
        r.weighPaths();
        r.classifyOutliers(4.5);
        r.addPoints(angle(0.005));
        r.refine(q_.lensValues(), q_.priors(), 12, 1e-5, cancelled_);
        r.classifyOutliers(4.5);
    }
}

double Growth::cost(const Reconstruction& r) const {
    const double share = double(r.solvedFrames()) / q_.observations.frameCount();
    return share * r.truncatedCost() + (1 - share) * 9;
}

bool Growth::explainsBadly(const Reconstruction& r) const {
    return r.solvedFrames() < q_.observations.frameCount() || r.truncatedCost() > 3;
}

double Growth::angle(double usual) const { return std::clamp(0.4 * parallaxPx_ / q_.lens.focalPx, 0.0007, usual); }

}  // namespace va
