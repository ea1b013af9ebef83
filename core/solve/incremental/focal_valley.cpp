// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/focal_valley.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cmath>
#include <iterator>
#include <map>
#include <utility>

#include "base/parallel.h"
#include "solve/bundle/normal_equations.h"
#include "solve/incremental/refine.h"
#include "solve/incremental/thresholds.h"

namespace va {
namespace {

constexpr int mostViews = 24;
/// As a logarithm: beyond four times as long or short nothing is followed.
constexpr double farthest = 1.4;
/// Part of a step that the focal length is held to: by a hair's breadth, so that the rest goes along in the same steps.
constexpr double hair = 1e-3;

/// From two problems along the valley, a start for the place where the focal length is `target`: as far beyond the
/// second as that asks for, in a straight line.
BundleProblem beyond(const BundleProblem& first, const BundleProblem& second, double target) {
    BundleProblem out = second;
    const double was = first.lenses[0].focalPx, is = second.lenses[0].focalPx;
    const double share = (target - is) / (is - was);
    if (!std::isfinite(share) || !(share > 0 && share < 4)) return out;
    for (size_t v = 0; v < out.views.size(); ++v) {
        View& view = out.views[v];
        const Eigen::AngleAxisd turn(view.rotation * first.views[v].rotation.transpose());
        view.rotation = Eigen::AngleAxisd(share * turn.angle(), turn.axis()) * view.rotation;
        view.translation += share * (view.translation - first.views[v].translation);
    }
    for (size_t p = 0; p < out.points.size(); ++p) out.points[p] += share * (out.points[p] - first.points[p]);
    Intrinsics& lens = out.lenses[0];
    const Intrinsics& had = first.lenses[0];
    lens.focalPx = target;
    lens.principalPoint += share * (lens.principalPoint - had.principalPoint);
    std::array<double, mostLensValues> values{};
    for (int k = 0; k < lens.lens.count(); ++k)
        values[size_t(k)] = lens.lens.value(k) + share * (lens.lens.value(k) - had.lens.value(k));
    lens.lens.setValues(values.data());
    return out;
}

/// The bottom by the parabola through the lowest place and its neighbours; the lowest place where it is the last one.
double bottomOf(const std::map<double, double>& costs) {
    const auto low =
        std::min_element(costs.begin(), costs.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
    const double x = low->first;
    if (low == costs.begin() || std::next(low) == costs.end()) return std::exp(x);
    const auto [a, atA] = *std::prev(low);
    const auto [b, atB] = *std::next(low);
    const double left = (atA - low->second) / (a - x), right = (atB - low->second) / (b - x);  // < 0, > 0
    const double bend = (right - left) / (b - a);
    if (!(bend > 0)) return std::exp(x);
    return std::exp(std::clamp(x - (left - bend * (a - x)) / (2 * bend), a, b));
}

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
    options_.stopWhenCostFallsBy = 1e-6;
    options_.cancelled = std::move(cancelled);
    // Along the valley a bundle creeps; the search that follows takes longer steps.
    BundleOptions first = options_;
    first.stopWhenCostFallsBy = 1e-5;
    const BundleSummary summary = bundle(lowest_, first);
    if (!summary.usable) return;
    cost_ = summary.finalCost;
    NormalEquations equations(lowest_, options_);
    equations.linearise(lowest_);
    const long spare = equations.residualCount() - equations.unknownCount();
    if (spare <= 0) return;
    variance_ = std::max(1e-6, equations.sumSquares() / double(spare));
    // One deviation of the focal length raises the cost by half of the variance: what is left to gain is little of it.
    constexpr double settled = 0.03;
    options_.stopWhenCostFallsBy = std::max(options_.stopWhenCostFallsBy, settled * variance_ / cost_);
    usable_ = true;
}

std::optional<std::pair<BundleProblem, double>> FocalValley::held(const BundleProblem& from, double target,
                                                                  double breadth) const {
    std::pair<BundleProblem, double> out(from, 0);
    BundleOptions o = options_;
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
    constexpr double longer = 1.7;
    std::map<double, double> costs{{std::log(begin), cost_}};  // by the logarithm of the focal length
    BundleProblem before;
    for (int round = 0; round < 16; ++round) {
        // To both sides at first, then the next two steps on the way at once.
        const std::array<double, 2> steps =
            way == 0 ? std::array{-size, size} : std::array{way * size, way * (1 + longer) * size};
        std::array<std::optional<std::pair<BundleProblem, double>>, 2> tries;
        parallelRanges(2, 1, [&](int from, int to) {
            for (int i = from; i < to; ++i) {
                const double away = steps[size_t(i)], target = lowest_.lenses[0].focalPx * std::exp(away);
                tries[size_t(i)] =
                    held(way != 0 ? beyond(before, lowest_, target) : lowest_, target, hair * std::fabs(away));
            }
        });
        for (const auto& t : tries)
            if (t) costs[std::log(t->first.lenses[0].focalPx)] = t->second;
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
        const bool past = way != 0 && which == 0;
        way = steps[which] > 0 ? 1 : -1;
        before = std::exchange(lowest_, std::move(best->first));
        cost_ = best->second;
        size = past ? size / 3 : std::min(longer * size, 0.25);
        if (past) way = 0;
    }
    return bottomOf(costs);
}

double FocalValley::deviationsSquared(double higher, double together) const {
    // All frames count, but errors that go on count once.
    const double counts = double(frames_) / double(std::max<size_t>(1, lowest_.views.size())) / (together * together);
    return 2 * counts * (higher - cost_) / variance_;
}

double FocalValley::widthOfSide(const std::pair<BundleProblem, double>& bottom, double sigma, double together) const {
    constexpr double likely = 9;
    double width = 0;
    BundleProblem before, at = bottom.first;
    for (const int times : {1, 2, 4}) {
        const double away = std::clamp(times * sigma, -farthest, farthest),
                     target = bottom.first.lenses[0].focalPx * std::exp(away);
        auto there = held(before.views.empty() ? at : beyond(before, at, target), target, hair * std::fabs(away));
        if (!there) break;
        const double rise = deviationsSquared(there->second, together) - deviationsSquared(bottom.second, together);
        if (rise >= likely) break;
        width = std::max(width, std::fabs(away) / std::sqrt(std::max(rise, 0.05)));
        before = std::exchange(at, std::move(there->first));
    }
    return width;
}

double FocalValley::width(double sigma, double together) const {
    // Held like the sides, and settled as far as they are: what the bottom may still fall by would look like width.
    auto bottom = held(lowest_, lowest_.lenses[0].focalPx, hair * sigma);
    if (!bottom) bottom.emplace(lowest_, cost_);
    std::array<double, 2> sides{};
    parallelRanges(2, 1, [&](int begin, int end) {
        for (int i = begin; i < end; ++i) sides[size_t(i)] = widthOfSide(*bottom, i ? sigma : -sigma, together);
    });
    return std::max({sigma, sides[0], sides[1]});
}

}  // namespace va
