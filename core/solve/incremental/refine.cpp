// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/refine.h"

#include <algorithm>
#include <cmath>

#include "solve/incremental/end_rates.h"
#include "solve/incremental/outliers.h"
#include "solve/incremental/thresholds.h"

namespace va {
namespace {

void takeFocals(Reconstruction& r, const BundleSelection& s) {
    const std::vector<double>& focal = s.problem.focalOfView;
    for (size_t i = 0; i < s.frameOfView.size(); ++i) r.setFocal(s.frameOfView[i], focal[i]);
    Intrinsics lens = r.lens();
    lens.focalPx = median(focal);
    r.setLens(lens);
    for (size_t i = 1; i < s.frameOfView.size(); ++i) {
        const FrameIndex last = s.frameOfView[i - 1], next = s.frameOfView[i];
        for (FrameIndex f = last + 1; f < next; ++f) {
            const double share = double(f - last) / (next - last);
            r.setFocal(f, std::pow(focal[i - 1], 1 - share) * std::pow(focal[i], share));
        }
    }
}

}  // namespace

BundleSelection selectForBundle(const Reconstruction& r, int every) {
    const Observations& o = r.observations();
    BundleSelection out;
    ByFrame<int> viewIndex(size_t(o.frameCount()), -1);
    std::vector<int> pointIndex(r.points().size(), -1);
    for (const FrameIndex f : o.indices()) {
        if (!r.hasView(f) || (every > 1 && f.value() % every != 0)) continue;
        viewIndex[f] = int(out.problem.views.size());
        out.problem.views.push_back(*r.views()[f]);
        out.problem.lensOfView.push_back(0);
        if (r.zooms()) out.problem.focalOfView.push_back(r.lensOf(f).focalPx);
        out.problem.timeOfView.push_back(o.number(f));
        if (!r.rates().empty()) out.problem.rates.push_back(r.rates()[f]);
        out.frameOfView.push_back(f);
    }
    for (const PathObservation& s : o.all) {
        if (!s.use || viewIndex[s.frame] < 0 || !r.points()[size_t(s.path)] || o.heldBack[size_t(s.path)]) continue;
        int& at = pointIndex[size_t(s.path)];
        if (at < 0) {
            at = int(out.problem.points.size());
            out.problem.points.push_back(*r.points()[size_t(s.path)]);
            out.pathOfPoint.push_back(s.path);
        }
        const double weight = r.pathWeight(s.path) / r.trust().scale;
        out.problem.observations.push_back({viewIndex[s.frame], at, s.pixel, weight * s.sqrtInformation});
    }
    out.problem.lenses.push_back(r.lens());
    out.problem.readout = r.readout();
    out.problem.height = o.height;
    for (PointTie tie : r.ties()) {
        bool whole = true;
        for (int& p : tie.points) p = pointIndex[size_t(p)], whole = whole && p >= 0;
        if (whole) out.problem.ties.push_back(std::move(tie));
    }
    return out;
}

BundleSummary refine(Reconstruction& r, const std::vector<LensValue>& solved,
                     const std::vector<BundleOptions::Prior>& priors, int iterations, double stop,
                     const std::function<bool()>& cancelled, int every) {
    r.trust().scale = robustScale(r);
    BundleSelection s = selectForBundle(r, every);
    BundleOptions options;
    options.solved = solved;
    options.priors = priors;
    options.fixedViews.assign(s.problem.views.size(), 0);
    if (!options.fixedViews.empty() && !r.tiesPlace()) options.fixedViews[0] = 1;
    options.solveReadout = r.solvesReadout();
    options.solveZoom = r.zooms() && std::find(solved.begin(), solved.end(), LensValue::focal) != solved.end();
    options.lossScale = limits::bundleLoss;
    options.iterations = iterations;
    options.stopWhenCostFallsBy = stop;
    // Only the last rounds, which look closely, are worth the last tenth of a deviation.
    options.stopWhenCamerasGain = stop < 5e-5 ? 0.02 : 0.2;
    if (options.solveZoom) {
        // Focal lengths, depths and the way ahead change together along a valley: many small steps lead far.
        options.iterations = 4 * iterations;
        options.stopWhenCamerasGain = 0.01;
        options.stopWhenCostFallsBy = 0.1 * stop;
    }
    options.cancelled = cancelled;
    const BundleSummary summary = bundle(s.problem, options);
    if (!summary.usable) return summary;
    for (size_t i = 0; i < s.frameOfView.size(); ++i) r.setView(s.frameOfView[i], s.problem.views[i]);
    for (size_t i = 0; i < s.pathOfPoint.size(); ++i) r.setPoint(s.pathOfPoint[i], s.problem.points[i]);
    r.setLens(s.problem.lenses[0]);
    if (r.findsFocals()) takeFocals(r, s);
    r.setReadout(s.problem.readout, r.solvesReadout());
    measureEndRates(r);
    return summary;
}

}  // namespace va
