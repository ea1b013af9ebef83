// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/reconstruction.h"

#include <cmath>
#include <cstdlib>

namespace va {

Reconstruction::Reconstruction(Observations observations, Intrinsics start, bool zooms)
    : observations_(std::move(observations)),
      lens_(std::move(start)),
      focal_(zooms ? observations_.frames.size() : 0, lens_.focalPx),
      views_(observations_.frames.size()),
      points_(observations_.pathIds.size()) {
    trust_.slides.assign(observations_.pathIds.size(), 0);
}

int Reconstruction::solvedFrames() const {
    return int(std::count_if(views_.begin(), views_.end(), [](const auto& v) { return v.has_value(); }));
}

int Reconstruction::pointCount() const {
    return int(std::count_if(points_.begin(), points_.end(), [](const auto& p) { return p.has_value(); }));
}

Intrinsics Reconstruction::lensOf(FrameIndex frame) const {
    Intrinsics out = lens_;
    if (!focal_.empty()) out.focalPx = focal_[frame];
    return out;
}

double Reconstruction::likelyFocal(FrameIndex frame) const {
    std::optional<FrameIndex> near;
    for (const FrameIndex f : views_.indices())
        if (views_[f] && f != frame && (!near || std::abs(f - frame) < std::abs(*near - frame))) near = f;
    return near ? lensOf(*near).focalPx : lens_.focalPx;
}

void Reconstruction::setReadout(double readout, bool solve) {
    readout_ = readout;
    solvesReadout_ = solve;
    updateRates();
}

void Reconstruction::updateRates() {
    rates_.clear();
    if (!rolls()) return;
    std::vector<View> views;
    std::vector<double> times;
    for (const FrameIndex f : views_.indices())
        if (views_[f]) views.push_back(*views_[f]), times.push_back(observations_.number(f));
    const std::vector<ViewRate> rates = ratesOf(views, times);
    rates_.assign(size_t(views_.count()), ViewRate());
    size_t i = 0;
    for (const FrameIndex f : views_.indices())
        if (views_[f]) rates_[f] = rates[i++];
    for (const auto& [frame, rate] : measuredRates_)
        if (views_[frame]) rates_[frame] = rate;
}

void Reconstruction::setMeasuredRate(FrameIndex frame, const ViewRate& rate) { measuredRates_[frame] = rate; }

std::optional<View> Reconstruction::viewOf(const PathObservation& s) const {
    const auto& view = views_[s.frame];
    if (!view || rates_.empty()) return view;
    return viewAtRow(*view, rates_[s.frame], readout_, s.pixel.y(), observations_.height);
}

std::optional<Eigen::Vector2d> Reconstruction::residual(const PathObservation& s) const {
    const auto& point = points_[size_t(s.path)];
    const auto view = point ? viewOf(s) : std::nullopt;
    if (!view) return std::nullopt;
    const auto pixel = project(*view, lensOf(s.frame), *point);
    if (!pixel) return std::nullopt;
    return Eigen::Vector2d(*pixel - s.pixel);
}

int Reconstruction::placedIn(FrameIndex frame) const {
    int n = 0;
    for (const int i : observations_.byFrame[frame])
        n += points_[size_t(observations_.all[size_t(i)].path)].has_value();
    return n;
}

double Reconstruction::rms() const {
    double sum = 0;
    int count = 0;
    for (const PathObservation& s : observations_.all)
        if (const auto e = s.use && !observations_.heldBack[size_t(s.path)] ? residual(s) : std::nullopt)
            sum += e->squaredNorm(), ++count;
    return count > 0 ? std::sqrt(sum / count) : 0;
}

double Reconstruction::pathRms(int path) const {
    const auto [begin, end] = observations_.ofPath[size_t(path)];
    double sum = 0;
    int n = 0;
    for (int i = begin; i < end; ++i) {
        const PathObservation& s = observations_.all[size_t(i)];
        const auto r = s.use ? residual(s) : std::nullopt;
        if (r) sum += r->squaredNorm(), ++n;
    }
    return n > 0 ? std::sqrt(sum / n) : -1;
}

double Reconstruction::truncatedCost() const { return meanCost(false); }

double Reconstruction::placedCost() const { return meanCost(true); }

double Reconstruction::meanCost(bool placedOnly) const {
    double sum = 0;
    int n = 0;
    for (const PathObservation& s : observations_.all) {
        if (!views_[s.frame] || observations_.heldBack[size_t(s.path)]) continue;
        if (placedOnly && !points_[size_t(s.path)]) continue;
        ++n;
        const auto r = residual(s);
        // Against a fixed yardstick of a third of a pixel: in sigmas one hypothesis could hide behind its own scale.
        sum += r ? std::min(9.0, r->squaredNorm() * 9) : 9.0;
    }
    return n > 0 ? sum / n : 9.0;
}

}  // namespace va
