// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/focal_valley.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/parallel.h"
#include "solve/bundle/normal_equations.h"
#include "solve/incremental/refine.h"
#include "solve/incremental/thresholds.h"

namespace va {
namespace {

constexpr int mostViews = 24;
/// As a logarithm: beyond four times as long or short nothing is followed.
constexpr double farthest = 1.4;

}  // namespace

FocalValley::FocalValley(const Reconstruction& r, const std::vector<LensValue>& values,
                         const std::vector<BundleOptions::Prior>& priors, std::function<bool()> cancelled)
    : frames_(r.solvedFrames()) {
    if (r.findsFocals() || std::find(values.begin(), values.end(), LensValue::focal) == values.end()) return;
    lowest_ = selectForBundle(r, (frames_ + mostViews - 1) / mostViews).problem;
    options_.solved = values;
    options_.priors = priors;
    options_.lossScale = limits::bundleLoss;
    options_.fixedViews.assign(lowest_.views.size(), 0);
    if (!options_.fixedViews.empty() && !r.tiesPlace()) options_.fixedViews[0] = 1;
    options_.solveReadout = r.solvesReadout();
    options_.iterations = 40;
    options_.stopWhenCostFallsBy = 1e-7;
    options_.cancelled = std::move(cancelled);
    const BundleSummary summary = bundle(lowest_, options_);
    if (!summary.usable) return;
    cost_ = summary.finalCost;
    NormalEquations equations(lowest_, options_);
    equations.linearise(lowest_);
    const long spare = equations.residualCount() - equations.unknownCount();
    if (spare <= 0) return;
    variance_ = std::max(1e-6, equations.sumSquares() / double(spare));
    usable_ = true;
}

std::optional<std::pair<BundleProblem, double>> FocalValley::held(const BundleProblem& from, double away) const {
    std::pair<BundleProblem, double> out(from, 0);
    BundleOptions o = options_;
    // By a hair's breadth, so that the rest goes along in the same steps.
    const double target = from.lenses[0].focalPx * std::exp(away), breadth = 1e-3 * std::fabs(away);
    o.priors.push_back({0, LensValue::focal, target, breadth});
    const BundleSummary summary = bundle(out.first, o);
    const double off = (out.first.lenses[0].focalPx / target - 1) / breadth;
    if (!summary.usable || std::fabs(off) > 100) return std::nullopt;
    out.second = summary.finalCost - 0.5 * off * off;
    return out;
}

double FocalValley::descend(double step) {
    const double begin = lowest_.lenses[0].focalPx;
    double size = step, way = 0;
    // What is gained has to be more than chance and what a search leaves behind.
    const double gain = 0.5 * variance_;
    for (int round = 0; round < 24; ++round) {
        std::array<std::optional<std::pair<BundleProblem, double>>, 2> tries;
        parallelRanges(2, 1, [&](int from, int to) {
            for (int i = from; i < to; ++i)
                if (way == 0 || way == (i ? 1 : -1)) tries[size_t(i)] = held(lowest_, (i ? 1 : -1) * size);
        });
        const size_t which = !tries[0] || (tries[1] && tries[1]->second < tries[0]->second) ? 1 : 0;
        auto& best = tries[which];
        const bool better = best && best->second < cost_ - gain &&
                            std::fabs(std::log(best->first.lenses[0].focalPx / begin)) < farthest;
        if (!better) {
            if (way == 0 || size < 0.6 * step) break;
            size /= 3;  // past the bottom: closer
            way = 0;
            continue;
        }
        way = which == 1 ? 1 : -1;
        lowest_ = std::move(best->first), cost_ = best->second;
        size = std::min(1.7 * size, 0.25);
    }
    return lowest_.lenses[0].focalPx;
}

double FocalValley::width(double sigma, double together) const {
    constexpr std::array<double, 6> offsets{-4, -2, -1, 1, 2, 4};
    constexpr double likely = 9;
    // Deviations of what is stated: all frames count, but errors that go on count once.
    const double counts = double(frames_) / double(std::max<size_t>(1, lowest_.views.size())) / (together * together);
    std::array<double, offsets.size()> widths{};
    parallelRanges(int(offsets.size()), 1, [&](int begin, int end) {
        for (int i = begin; i < end; ++i) {
            const double away = std::clamp(offsets[size_t(i)] * sigma, -farthest, farthest);
            const auto there = held(lowest_, away);
            if (!there) continue;
            const double rise = 2 * counts * (there->second - cost_) / variance_;
            if (rise < likely) widths[size_t(i)] = std::fabs(away) / std::sqrt(std::max(rise, 0.05));
        }
    });
    return std::max(sigma, *std::max_element(widths.begin(), widths.end()));
}

}  // namespace va
