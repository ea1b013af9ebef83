// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/movie_rate.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/text.h"

namespace va {
namespace {

const std::vector<Rational>& ratesInUse() {
    static const std::vector<Rational> rates = [] {
        std::vector<Rational> out;
        for (const int n : {24,  25,  30,  48,  50, 60, 72, 96, 100, 120, 144, 150, 180, 200,
                            240, 300, 480, 960, 15, 12, 10, 20, 16,  18,  8,   5,   1})
            out.push_back({n, 1});
        for (const int n : {24, 30, 48, 60, 72, 96, 120, 144, 240, 480, 15, 12}) out.push_back(reduced(n * 1000, 1001));
        return out;
    }();
    return rates;
}

/// How well a rate's grid explains the stamps.
struct Fit {
    double spread = 0;  ///< seconds between the earliest and the latest stamp, relative to their positions on the grid
    std::vector<MovieRate::Hole> dropped;
    std::vector<int> doubled;
    int missing = 0;
};

/// Every stamp on the position of the grid that is nearest to it, counted from the stamp before. A frame with the stamp
/// of the one before stands for one that lacks after it.
Fit fitGrid(const std::vector<int64_t>& times, double unit, double rate) {
    Fit out;
    double low = 0, high = 0;
    long long index = 0, twins = 0;
    for (size_t i = 1; i < times.size(); ++i) {
        if (times[i] == times[i - 1]) {
            out.doubled.push_back(int(i));
            ++twins;
            continue;
        }
        const auto step = std::max(1LL, std::llround(double(times[i] - times[i - 1]) * unit * rate));
        if (const auto hole = step - 1 - twins; hole > 0) {
            out.dropped.push_back({int(i) - 1, int(hole)});
            out.missing += int(hole);
        }
        index += step;
        twins = 0;
        const double drift = double(times[i] - times[0]) * unit - double(index) / rate;
        low = std::min(low, drift);
        high = std::max(high, drift);
    }
    out.spread = high - low;
    return out;
}

double relative(Rational a, Rational b) { return std::fabs(a.value() / b.value() - 1); }

std::string said(Rational r) { return r.positive() ? r.label() : "nothing"; }

}  // namespace

Rational standardRate(Rational rate) {
    if (!rate.positive()) return rate;
    for (const Rational& r : ratesInUse())
        if (relative(rate, r) < 2e-5) return r;
    return rate;
}

MovieRate findRate(const RateEvidence& e) {
    MovieRate out;
    const Rational container = standardRate(e.container), stream = standardRate(e.stream);
    const double unit = e.timeBase.value();
    const size_t n = e.times.size();
    if (n < 3 || e.times.back() <= e.times.front() || !(unit > 0)) {
        for (const Rational& r : {container, stream})
            if (r.positive() && out.assumed) out.rate = r, out.assumed = false;
        return out;
    }
    std::vector<double> steps;
    for (size_t i = 1; i < n; ++i) steps.push_back(double(e.times[i] - e.times[i - 1]) * unit);
    out.shortest = *std::min_element(steps.begin(), steps.end());
    out.longest = *std::max_element(steps.begin(), steps.end());
    const double mean = double(n - 1) / (double(e.times.back() - e.times.front()) * unit);
    std::nth_element(steps.begin(), steps.begin() + std::ptrdiff_t(steps.size() / 2), steps.end());
    const double usual = 1 / std::max(steps[steps.size() / 2], 1e-9);

    // Those that were stated and are in use come first, then others in use, then odd ones.
    struct Candidate {
        Rational rate;
        int rank;
    };
    std::vector<Candidate> candidates;
    const auto add = [&](Rational r, int rank) {
        const bool near =
            r.positive() && (std::fabs(r.value() / usual - 1) < 0.08 || std::fabs(r.value() / mean - 1) < 0.02);
        const bool had =
            std::any_of(candidates.begin(), candidates.end(), [&](const Candidate& c) { return c.rate == r; });
        if (near && !had) candidates.push_back({r, rank});
    };
    const auto inUse = [](Rational r) {
        return std::find(ratesInUse().begin(), ratesInUse().end(), r) != ratesInUse().end();
    };
    for (const Rational& r : {container, stream})
        if (inUse(r)) add(r, 0);
    for (const Rational& r : ratesInUse()) add(r, 1);
    for (const Rational& r : {container, stream}) add(r, 2);
    if (const int64_t step = std::llround(steps[steps.size() / 2] / unit); step > 0)
        add(reduced(e.timeBase.den, step * e.timeBase.num), 3);
    // One rounding each way, and what a writer that adds up rounded steps may be off by.
    const double rounding = 1.02 * unit + 1e-9;
    const Candidate* best = nullptr;
    Fit bestFit;
    bool exact = false;
    const auto better = [&](const Candidate& c, const Fit& f) {
        if (!best) return true;
        if (f.missing != bestFit.missing) return f.missing < bestFit.missing;
        if (std::max(c.rank, 1) != std::max(best->rank, 1)) return c.rank < best->rank;
        return f.spread + 0.5 * unit < bestFit.spread;
    };
    for (const Candidate& c : candidates) {
        Fit f = fitGrid(e.times, unit, c.rate.value());
        // A hole at every other frame is no rate with holes.
        if (f.missing * 4 > int(n) || f.doubled.size() * 4 > n) continue;
        const bool fits = f.spread <= std::max(rounding, std::min(0.02 / c.rate.value(), 3 * unit));
        // A camera's clock may tremble: every frame still is nearest to its own position.
        if (!fits && (exact || f.spread > 0.25 / c.rate.value())) continue;
        if (fits && !exact) best = nullptr;
        exact = exact || fits;
        if (better(c, f)) best = &c, bestFit = std::move(f);
    }
    if (best) {
        out.rate = out.byTimes = best->rate;
        out.assumed = false;
        out.dropped = std::move(bestFit.dropped);
        out.doubled = std::move(bestFit.doubled);
    } else {
        out.variable = true;
        out.assumed = false;
        out.rate = reduced(std::llround(mean * 1000), 1000);
        double nearest = 0.004;
        for (const Rational& r : ratesInUse())
            if (std::fabs(r.value() / mean - 1) < nearest) out.rate = r, nearest = std::fabs(r.value() / mean - 1);
        out.byTimes = out.rate;
    }
    const auto differs = [&](Rational r) { return r.positive() && relative(r, out.byTimes) > 1e-3; };
    if (differs(container) || differs(stream))
        out.disagreement =
            text("The container says %s, the stream %s, and the time stamps %s frames a second; %s is used.",
                 said(container).c_str(), said(stream).c_str(), said(out.byTimes).c_str(), out.rate.label().c_str());
    return out;
}

}  // namespace va
