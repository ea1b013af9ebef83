// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/outliers.h"
#include "solve/incremental/thresholds.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <iterator>
#include <utility>

#include "base/parallel.h"

namespace va {
namespace {

constexpr double rayleighMedian = 1.17741;  // √(2 ln 2): median length of a 2D unit Gaussian

/// Error of a path over the stated sigma, an axis, with its slow part multiplied by the root of the observations it
/// spans; negative when there are none.
double errorThatCounts(const Reconstruction& r, int path) {
    const Observations& o = r.observations();
    const auto [begin, end] = o.ofPath[size_t(path)];
    std::vector<std::pair<int, Eigen::Vector2d>> errors;
    for (int i = begin; i < end; ++i) {
        const PathObservation& s = o.all[size_t(i)];
        const auto off = s.use ? r.residual(s) : std::nullopt;
        if (off) errors.emplace_back(o.number(s.frame), s.sqrtInformation * *off);
    }
    if (errors.empty()) return -1;
    // Running means; both sums are an axis.
    constexpr int half = limits::errorsGoOnFor / 2;
    double slow = 0, quick = 0, together = 0;
    for (const auto& [frame, e] : errors) {
        Eigen::Vector2d mean = Eigen::Vector2d::Zero();
        int n = 0;
        for (const auto& [other, error] : errors)
            if (std::abs(other - frame) <= half) mean += error, ++n;
        mean /= n;
        slow += 0.5 * mean.squaredNorm();
        quick += 0.5 * (e - mean).squaredNorm();
        together += n;
    }
    const auto n = double(errors.size());
    // A mean over k observations of noise alone has 1/k of its variance: only what exceeds that is slow.
    const double k = together / n, noise = quick / std::max(1.0, n - n / k);
    return std::sqrt(noise + k * std::max(0.0, slow / n - noise / k));
}

}  // namespace

double robustScale(const Reconstruction& r) {
    const Observations& o = r.observations();
    std::vector<double> lengths(o.all.size(), -1);
    parallelRanges(int(o.all.size()), 512, [&](int begin, int end) {
        for (auto i = size_t(begin); i < size_t(end); ++i) {
            const PathObservation& s = o.all[i];
            const auto off = o.heldBack[size_t(s.path)] ? std::nullopt : r.residual(s);
            if (off) lengths[i] = (s.sqrtInformation * *off).norm() * r.pathWeight(s.path);
        }
    });
    std::erase_if(lengths, [](double length) { return length < 0; });
    return std::max(0.05, median(std::move(lengths)) / rayleighMedian);
}

void classifyOutliers(Reconstruction& r, double limit) {
    const Observations& o = r.observations();
    r.trust().scale = robustScale(r);
    const double scale = r.trust().scale, slideLimit = r.trust().slideLimit;
    const auto classifyPath = [&](int p) {
        if (!r.points()[size_t(p)]) return;
        const auto [begin, end] = o.ofPath[size_t(p)];
        int used = 0, seen = 0, behind = 0;
        for (int i = begin; i < end; ++i) {
            const PathObservation& s = o.all[size_t(i)];
            if (!r.hasView(s.frame)) continue;
            ++seen;
            const auto off = r.residual(s);
            behind += !off;
            // In sigmas of the noise, but never so tight that a well-measured observation is lost to a few hundredths
            // of a pixel.
            const bool use = off &&
                             ((s.sqrtInformation * *off).norm() * r.pathWeight(p) < limit * scale ||
                              off->norm() < limits::neverOutlier) &&
                             (slideLimit == 0 || off->norm() < 3 * slideLimit);
            r.setUse(i, use);
            used += use;
        }
        if (used < 3 || used * 2 < seen || behind > 0) r.dropPoint(p);
    };
    parallelRanges(o.pathCount(), 16, [&](int begin, int end) {
        for (int p = begin; p < end; ++p) classifyPath(p);
    });
}

void weighPaths(Reconstruction& r) {
    const Observations& o = r.observations();
    std::vector<double> weight(r.points().size(), 1.0), own(r.points().size(), -1), known;
    r.trust().weight = weight;
    parallelRanges(o.pathCount(), 16, [&](int begin, int end) {
        for (int p = begin; p < end; ++p)
            if (r.points()[size_t(p)]) own[size_t(p)] = errorThatCounts(r, p);
    });
    std::copy_if(own.begin(), own.end(), std::back_inserter(known), [](double e) { return e >= 0; });
    const double typical = std::max(1e-6, median(std::move(known)));
    for (int p = 0; p < o.pathCount(); ++p) {
        if (own[size_t(p)] < 0) continue;
        // Drawn towards the typical path as if a few observations of that had been seen: short paths prove little.
        const auto [begin, end] = o.ofPath[size_t(p)];
        const double n = end - begin, e = own[size_t(p)];
        const double k = limits::priorObservations, variance = (n * e * e + k * typical * typical) / (n + k);
        weight[size_t(p)] = std::min(limits::heaviestPath, typical / std::sqrt(variance));
    }
    r.trust().typicalError = typical;
    r.trust().weight = std::move(weight);
}

void setAsideSliding(Reconstruction& r, double times, double never) {
    const int paths = r.observations().pathCount();
    std::vector<double> all;
    for (int p = 0; p < paths; ++p)
        if (r.points()[size_t(p)]) all.push_back(r.pathRms(p));
    const double limit = r.trust().slideLimit = std::max(never, times * median(std::move(all)));
    for (int p = 0; p < paths; ++p)
        if (r.points()[size_t(p)] && r.pathRms(p) > limit) r.dropPoint(p), r.trust().slides[size_t(p)] = 1;
}

void bringBackSliding(Reconstruction& r) { r.trust().slides.assign(r.trust().slides.size(), 0); }

}  // namespace va
