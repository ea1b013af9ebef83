// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/whole_frames.h"
#include "base/text.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <optional>

namespace va {
namespace {

/// As far as a neighbour's picture may stand in: the longest stretch of damage that tracking goes across.
constexpr int farthest = 64;
/// Around a point, as far as its pattern reaches; and how far off it may be where that depends on damage. Both in px at
/// 1280 px of width.
constexpr double settlingReach = 6, unsure = 2;
/// How far from what depends on damage a reference may be taken, px at 1280 px of width; and the share of a frame from
/// which on it may be taken anywhere.
constexpr double around = 32, mostlyDoubtful = 0.9;
int nearestFrame(const Path& p, int frame) {
    int best = p.points.front().frame;
    for (const PathPoint& q : p.points)
        if (std::abs(q.frame - frame) < std::abs(best - frame)) best = q.frame;
    return best;
}

}  // namespace

float doubtVariance(int width) { return float(std::pow(unsure * width / 1280.0, 2)); }

Luma WholeFrames::read(int frame) {
    std::string cause;
    try {
        Luma out = source_.luma(frame);
        const std::scoped_lock lock(mutex_);
        lastWhole_ = frame;
        any_ = true;
        if (const DamageMask& mask = source_.lumaDamage(); !mask.empty()) {
            if (mask.share() > mostlyDoubtful) mostly_.insert(frame);
            depending_[frame] = mask;
        }
        return out;
    } catch (const DamagedFrame& e) {
        cause = e.cause();
    }
    std::vector<int> tries;
    if (any_ && std::abs(lastWhole_ - frame) <= farthest) tries.push_back(lastWhole_);
    for (int k = 1; k <= farthest; ++k)
        for (const int f : {frame + k, frame - k})
            if (source_.info().exists(f)) tries.push_back(f);
    for (const int f : tries) {
        std::optional<Luma> picture;
        try {
            picture = source_.luma(f);
        } catch (const DamagedFrame&) {
            continue;
        }
        const std::scoped_lock lock(mutex_);
        damaged_[frame] = {cause, f};
        return std::move(*picture);
    }
    throw InputError(
        text("Frame %d and all around it are damaged: %s. Choose a range without them, or copy the file again.", frame,
             cause.c_str()));
}

bool WholeFrames::damaged(int frame) const {
    const std::scoped_lock lock(mutex_);
    return damaged_.contains(frame);
}

bool WholeFrames::mayBegin(int frame, double x, double y) const {
    const std::scoped_lock lock(mutex_);
    const auto standIn = damaged_.find(frame);
    const auto found = depending_.find(standIn == damaged_.end() ? frame : standIn->second.neighbour);
    if (found == depending_.end() || mostly_.contains(found->first)) return true;
    // Decoders notice damage a few squares after it begins.
    return !found->second.near(x, y, around * source_.info().width / 1280.0);
}

std::vector<FrameDamage> WholeFrames::found() const {
    const std::scoped_lock lock(mutex_);
    std::vector<FrameDamage> out;
    for (const auto& [frame, standIn] : damaged_) out.push_back({frame, standIn.cause});
    return out;
}

bool WholeFrames::depends(const PathPoint& q, double margin) const {
    const auto found = depending_.find(q.frame);
    return found != depending_.end() && found->second.near(q.x, q.y, margin);
}

void WholeFrames::moveReference(Path& p) const {
    const auto d = damaged_.find(p.referenceFrame);
    if (d == damaged_.end()) return;
    const PathPoint* there = p.at(p.referenceFrame);
    if (there && !p.at(d->second.neighbour)) {
        PathPoint same = *there;
        same.frame = d->second.neighbour;
        p.put(same);
    }
    p.referenceFrame = d->second.neighbour;
}

void WholeFrames::cutAtDoubtfulReferences(Path& p) const {
    const double margin = settlingReach * source_.info().width / 1280.0;
    const std::vector<PathPoint>& points = p.points.values();
    // Where one point and the next are measured against different references, the newer one was taken at the point
    // with the smaller count.
    std::vector<size_t> begins{0};
    for (size_t i = 1; i < points.size(); ++i)
        if (points[i].chain != points[i - 1].chain &&
            depends(points[i].chain > points[i - 1].chain ? points[i - 1] : points[i], margin))
            begins.push_back(i);
    if (begins.size() == 1) return;
    begins.push_back(points.size());
    size_t best = 0;
    std::ptrdiff_t most = -1;
    for (size_t k = 0; k + 1 < begins.size(); ++k) {
        const auto sound =
            std::count_if(points.begin() + std::ptrdiff_t(begins[k]), points.begin() + std::ptrdiff_t(begins[k + 1]),
                          [&](const PathPoint& q) { return !depends(q, margin); });
        if (sound > most) best = k, most = sound;
    }
    p.points = {points.begin() + std::ptrdiff_t(begins[best]), points.begin() + std::ptrdiff_t(begins[best + 1])};
    uint16_t least = p.points.front().chain;
    for (const PathPoint& q : p.points) least = std::min(least, q.chain);
    for (PathPoint& q : p.points) q.chain = uint16_t(q.chain - least);
}

void WholeFrames::removeFrom(std::vector<Path>& paths) {
    const std::scoped_lock lock(mutex_);
    if (damaged_.empty() && depending_.empty()) return;
    const double margin = settlingReach * source_.info().width / 1280.0;
    const float variance = doubtVariance(source_.info().width);
    std::map<int, int> sound;  // points of a frame that depend on no damage
    for (Path& p : paths) {
        moveReference(p);
        p.points.eraseIf([&](const PathPoint& q) { return damaged_.contains(q.frame); });
        if (!p.points.empty()) cutAtDoubtfulReferences(p);
        for (const PathPoint& q : p.points) sound[q.frame] += !depends(q, margin);
    }
    std::set<int> dependent;
    for (const auto& [frame, mask] : depending_)
        if (sound[frame] < enoughSoundPoints) dependent.insert(frame);
    dependent_.insert(dependent.begin(), dependent.end());
    // Where most of a shot depends on damage there is nothing else to go by.
    const bool keep = dependent.size() * 2 > sound.size();
    for (Path& p : paths) {
        // What was measured against a picture that depends on damage is as doubtful as that.
        const PathPoint* reference = p.at(p.referenceFrame);
        const bool doubtfulReference = !keep && reference && depends(*reference, margin);
        p.points.eraseIf(
            [&](const PathPoint& q) { return q.chain == 0 && doubtfulReference && q.origin != PointOrigin::byHand; });
        p.points.eraseIf([&](const PathPoint& q) {
            return q.origin != PointOrigin::byHand && !keep && dependent.contains(q.frame) && depends(q, margin);
        });
        for (PathPoint& q : p.points)
            if (q.origin != PointOrigin::byHand && !q.doubtful && depends(q, margin)) {
                q.doubtful = true;
                q.sxx += variance, q.syy += variance;
            }
        if (!p.points.empty() && !p.at(p.referenceFrame)) p.referenceFrame = nearestFrame(p, p.referenceFrame);
    }
    std::erase_if(paths, [](const Path& p) { return p.points.empty(); });
}

std::vector<int> WholeFrames::dependent() const {
    const std::scoped_lock lock(mutex_);
    return {dependent_.begin(), dependent_.end()};
}

void WholeFrames::addTo(std::vector<FrameDamage>& known) const {
    for (const FrameDamage& d : found()) {
        const auto at = std::lower_bound(known.begin(), known.end(), d.frame,
                                         [](const FrameDamage& a, int f) { return a.frame < f; });
        if (at == known.end() || at->frame != d.frame) known.insert(at, d);
    }
}

}  // namespace va
