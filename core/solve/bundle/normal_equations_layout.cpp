// SPDX-License-Identifier: GPL-3.0-or-later
// What is laid out once for a problem: which observations, points and views stand where.
#include "solve/bundle/normal_equations.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <tuple>

namespace va {
namespace {

constexpr int batchPoints = 16;

}  // namespace

NormalEquations::NormalEquations(const BundleProblem& p, const BundleOptions& options) : options_(options) {
    const bool zoom = options.solveZoom && !p.focalOfView.empty();
    for (const LensValue v : options.solved)
        if (!(zoom && v == LensValue::focal)) solved_.push_back(v);
    ownFocal_ = zoom;
    viewSize_ = (options.rotationOnly ? 3 : 6) + int(ownFocal_);
    viewCount_ = int(p.views.size());
    lensColumns_ = int(solved_.size());
    sharedSize_ = lensColumns_ * int(p.lenses.size());
    if (options.solveReadout && !p.rates.empty()) readoutAt_ = sharedSize_++;
    linearHalf_ = residualAt + 4 * linearQuads();
    viewFree_.assign(size_t(viewCount_), 1);
    for (size_t i = 0; i < options.fixedViews.size() && i < viewFree_.size(); ++i)
        viewFree_[i] = !options.fixedViews[i];
    Eigen::AlignedBox3d places;
    for (const View& v : p.views) places.extend(v.centre());
    // Two hundredths of a pixel of parallax over the whole path of the camera, for a lens of a thousand pixels.
    farthest_ = options.rotationOnly || p.views.empty() ? 0 : 5e4 * places.diagonal().norm();
    if (!(farthest_ > 0)) farthest_ = 1e12;
    layOutPoints(p);
    layOutBatches();
}

void NormalEquations::layOutPoints(const BundleProblem& p) {
    keptAt_.assign(p.points.size(), -1);
    borderSize_ = sharedSize_;
    if (!options_.fixedPoints)
        for (const PointTie& t : p.ties)
            for (const int i : t.points)
                if (keptAt_[size_t(i)] < 0) keptAt_[size_t(i)] = borderSize_, borderSize_ += 3;
    for (size_t i = 0; i < p.observations.size(); ++i)
        if (keptAt_[size_t(p.observations[i].point)] >= 0) keptObservations_.push_back(int(i));
        else order_.push_back(int(i));
    struct Span {
        int point, first, last;
    };
    std::vector<Span> spans(p.points.size());
    for (size_t i = 0; i < spans.size(); ++i) spans[i] = {int(i), viewCount_, -1};
    for (const int o : order_) {
        Span& s = spans[size_t(p.observations[size_t(o)].point)];
        s.first = std::min(s.first, p.observations[size_t(o)].view);
        s.last = std::max(s.last, p.observations[size_t(o)].view);
    }
    std::erase_if(spans, [](const Span& s) { return s.last < 0; });
    // Alike spans side by side, so that a batch of points makes one dense product.
    std::sort(spans.begin(), spans.end(), [](const Span& a, const Span& b) {
        return std::tuple(a.first / 4, a.last, a.first, a.point) < std::tuple(b.first / 4, b.last, b.first, b.point);
    });
    std::vector<int>& rank = rankOf_;
    rank.assign(p.points.size(), -1);
    for (const Span& s : spans) rank[size_t(s.point)] = int(pointOrder_.size()), pointOrder_.push_back(s.point);
    std::sort(order_.begin(), order_.end(), [&](int a, int b) {
        const auto &x = p.observations[size_t(a)], &y = p.observations[size_t(b)];
        return std::tuple(rank[size_t(x.point)], x.view, a) < std::tuple(rank[size_t(y.point)], y.view, b);
    });
    byCamera_.assign(size_t(viewCount_), {});
    ofPoint_.assign(pointOrder_.size(), {0, 0});
    for (int row = 0; row < int(order_.size()); ++row) {
        const auto& o = p.observations[size_t(order_[size_t(row)])];
        auto& range = ofPoint_[size_t(rank[size_t(o.point)])];
        if (range.second == 0) range.first = row;
        range.second = row + 1;
        byCamera_[size_t(o.view)].push_back(row);
        viewOf_.push_back(o.view);
        lensOf_.push_back(p.lensOfView[size_t(o.view)]);
    }
    // Loops read eight derivatives by the view, however many there are.
    linear_.resize(order_.size() * 2 * size_t(linearHalf_) + 8);
    pointNormal_.resize(pointOrder_.size());
    pointGradient_.resize(pointOrder_.size());
    pointShared_.resize(pointOrder_.size() * size_t(3 * sharedSize_));
    pointFactor_.resize(pointOrder_.size());
    pointRight_.resize(pointOrder_.size());
    pointTangent_.resize(pointOrder_.size());
}

void NormalEquations::layOutBatches() {
    const int d = viewSize_;
    std::vector<int> reach(size_t(viewCount_) * size_t(d));
    for (int v = 0; v < viewCount_; ++v)
        for (int k = 0; k < d; ++k) {
            // Priors on a zoom tie three views that follow each other.
            const int last = options_.solveZoom ? std::min(viewCount_ - 1, v + 2) : v;
            reach[size_t(v * d + k)] = last * d + d - 1;
        }
    if (!options_.fixedPoints) {
        for (int i = 0; i < int(pointOrder_.size()); ++i) {
            const int first = viewOf_[size_t(ofPoint_[size_t(i)].first)],
                      last = viewOf_[size_t(ofPoint_[size_t(i)].second - 1)];
            const bool fits = !batches_.empty() && i - batches_.back().first < batchPoints && [&] {
                const Batch& b = batches_.back();
                const int together = std::max(b.lastView, last) - std::min(b.firstView, first) + 1;
                return together * 2 <= (last - first + 1) * 3 + 8;
            }();
            if (!fits) batches_.push_back({i, i, first, last, {}, {}});
            Batch& b = batches_.back();
            b.last = i + 1;
            b.firstView = std::min(b.firstView, first);
            b.lastView = std::max(b.lastView, last);
        }
        for (Batch& b : batches_) {
            int& farthest = reach[size_t(b.firstView * d)];
            farthest = std::max(farthest, b.lastView * d + d - 1);
        }
    }
    reduced_.band = BandMatrix(std::move(reach));
}

}  // namespace va
