// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/frame_poses.h"

#include <cmath>

#include "base/parallel.h"
#include "solve/incremental/thresholds.h"
#include "solve/minimal/resect.h"

namespace va {
namespace {

/// What a frame sees of the points that have a position.
struct Seen {
    Points3 world;
    Points2 at;  ///< the lens undone
    std::vector<double> weights;
};

Seen seenIn(const Reconstruction& r, FrameIndex frame, bool usedOnly) {
    const Observations& o = r.observations();
    Seen out;
    for (const int i : o.byFrame[frame]) {
        const PathObservation& s = o.all[size_t(i)];
        const auto& point = r.points()[size_t(s.path)];
        if (!point || o.heldBack[size_t(s.path)] || (usedOnly && !s.use)) continue;
        const auto n = r.undistorted(s);
        if (!n) continue;
        out.world.push_back(*point);
        out.at.push_back(*n);
        // Mean precision of the two axes, in units of the plane z = 1.
        out.weights.push_back(0.5 * s.sqrtInformation.squaredNorm() *
                              std::pow(r.lensOf(frame).focalPx * r.pathWeight(s.path), 2));
    }
    return out;
}

/// Points that a view sees within `close` (on the plane z = 1) of where they are seen.
int agreeing(const View& view, const Seen& seen, double close) {
    int n = 0;
    for (size_t i = 0; i < seen.world.size(); ++i) {
        const Eigen::Vector3d c = view.toCamera(seen.world[i]);
        n += c.z() > 1e-9 && (c.head<2>() / c.z() - seen.at[i]).norm() < close;
    }
    return n;
}

/// A bundle of one view over fixed points: takes what a resection can't, a focal length and rows.
void bundlePose(Reconstruction& r, FrameIndex frame, View view, bool usedOnly) {
    const Observations& o = r.observations();
    BundleProblem p;
    p.views = {view};
    p.lenses = {r.lens()};
    p.lensOfView = {0};
    if (r.zooms()) p.focalOfView = {r.lensOf(frame).focalPx};
    p.timeOfView = {0};
    if (!r.rates().empty()) {
        p.rates = {r.rates()[frame]};
        p.readout = r.readout();
        p.height = o.height;
    }
    for (const int i : o.byFrame[frame]) {
        const PathObservation& s = o.all[size_t(i)];
        const auto& point = r.points()[size_t(s.path)];
        if (!point || o.heldBack[size_t(s.path)] || (usedOnly && !s.use)) continue;
        p.observations.push_back(
            {0, int(p.points.size()), s.pixel, r.pathWeight(s.path) / r.trust().scale * s.sqrtInformation});
        p.points.push_back(*point);
    }
    if (int(p.observations.size()) < o.fewest.seen) {
        r.setView(frame, view);
        return;
    }
    BundleOptions options;
    options.fixedPoints = true;
    options.solveZoom = r.findsFocals();
    options.lossScale = limits::bundleLoss;
    options.iterations = 12;
    options.stopWhenCostFallsBy = 1e-4;
    const bool usable = bundle(p, options).usable;
    r.setView(frame, usable ? p.views[0] : view);
    if (usable && options.solveZoom) r.setFocal(frame, p.focalOfView[0]);
}

/// Focal lengths that a frame is tried with: a zoom may have moved on since the frames next to it.
std::vector<double> focalsToTry(const Reconstruction& r, FrameIndex frame) {
    if (r.focalsHeld()) return {r.lensOf(frame).focalPx};
    if (!r.zooms()) return {r.lens().focalPx};
    std::vector<double> out;
    for (const double share : {1.0, 0.96, 1.04, 0.9, 1.1}) out.push_back(r.likelyFocal(frame) * share);
    return out;
}

}  // namespace

bool addFrame(Reconstruction& r, FrameIndex frame, uint64_t seed, const View* near) {
    const int fewest = r.observations().fewest.seen;
    std::optional<View> best;
    double bestFocal = 0;
    int most = 0;
    for (const double focal : focalsToTry(r, frame)) {
        r.setFocal(frame, focal);
        const Seen seen = seenIn(r, frame, false);
        const int count = int(seen.world.size());
        if (count < fewest) return false;
        const double close = limits::resectedWithin / focal;
        View view;
        if (near) view = refineView(*near, seen.world, seen.at, seen.weights, limits::bundleLoss);
        if (!near || agreeing(view, seen, close) * 10 < count * 8) {
            SamplingOptions options;
            options.threshold = close;
            options.trials = 300;
            options.seed = seed + uint64_t(frame.value()) * 7919u;
            const auto found = robustResection(seen.world, seen.at, options);
            if (found.found && (!near || found.agreeing > agreeing(view, seen, close)))
                view = refineView(found.model, seen.world, seen.at, seen.weights, limits::bundleLoss);
            else if (!near) continue;
        }
        const int n = agreeing(view, seen, close);
        if (n >= fewest && n * 2 >= count && n > most) best = view, bestFocal = focal, most = n;
        if (most * 10 >= count * 9) break;
    }
    if (!best) return false;
    if (r.findsFocals()) {
        r.setFocal(frame, bestFocal);
        bundlePose(r, frame, *best, false);
    } else {
        r.setView(frame, *best);
    }
    return true;
}

bool viewIsHeld(const Reconstruction& r, FrameIndex frame) {
    const Observations& o = r.observations();
    int seen = 0, used = 0;
    for (const int i : o.byFrame[frame]) {
        const PathObservation& s = o.all[size_t(i)];
        if (o.heldBack[size_t(s.path)]) continue;
        ++seen;
        used += s.use && r.points()[size_t(s.path)];
    }
    return used >= o.fewest.seen || (2 * used >= seen && 4 * used >= 3 * o.fewest.seen);
}

void refinePoses(Reconstruction& r) {
    parallelRanges(r.views().count(), 4, [&](int begin, int end) {
        for (FrameIndex f(begin); f < FrameIndex(end); ++f) {
            if (!r.hasView(f)) continue;
            const View view = *r.views()[f];
            if (r.findsFocals() || r.rolls()) {
                bundlePose(r, f, view, true);
                continue;
            }
            const Seen seen = seenIn(r, f, true);
            if (seen.world.size() >= 6)
                r.setView(f, refineView(view, seen.world, seen.at, seen.weights, limits::bundleLoss));
        }
    });
    r.updateRates();
}

}  // namespace va
