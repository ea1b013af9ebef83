// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/whole_frames.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <optional>

namespace va {
namespace {

/// As far as a neighbour's picture may stand in: the longest stretch of damage that following goes across.
constexpr int farthest = 64;

}  // namespace

Luma WholeFrames::read(int frame) {
    std::string cause;
    try {
        Luma out = source_.luma(frame);
        const std::scoped_lock lock(mutex_);
        lastWhole_ = frame;
        any_ = true;
        if (source_.lumaUncertain()) uncertain_.insert(frame);
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
    throw InputError("Frame " + std::to_string(frame) + " and all around it are damaged: " + cause +
                     ". Choose a range without them, or copy the file again.");
}

bool WholeFrames::damaged(int frame) const {
    const std::scoped_lock lock(mutex_);
    return damaged_.contains(frame);
}

std::vector<FrameDamage> WholeFrames::found() const {
    const std::scoped_lock lock(mutex_);
    std::vector<FrameDamage> out;
    for (const auto& [frame, standIn] : damaged_) out.push_back({frame, standIn.cause});
    return out;
}

void WholeFrames::removeFrom(std::vector<Path>& paths) {
    const std::scoped_lock lock(mutex_);
    if (damaged_.empty() && uncertain_.empty()) return;
    const auto variance = float(std::pow(0.5 * source_.info().width / 1280, 2));
    for (Path& p : paths) {
        for (PathPoint& q : p.points)
            if (uncertain_.contains(q.frame) && q.sxx < variance && q.origin != PointOrigin::byHand)
                q.sxx += variance, q.syy += variance;
        if (const auto d = damaged_.find(p.referenceFrame); d != damaged_.end()) {
            const PathPoint* there = p.at(p.referenceFrame);
            if (there && !p.at(d->second.neighbour)) {
                PathPoint same = *there;
                same.frame = d->second.neighbour;
                p.put(same);
            }
            p.referenceFrame = d->second.neighbour;
        }
        std::erase_if(p.points, [&](const PathPoint& q) { return damaged_.contains(q.frame); });
    }
    std::erase_if(paths, [](const Path& p) { return p.points.empty(); });
}

void WholeFrames::addTo(std::vector<FrameDamage>& known) const {
    for (const FrameDamage& d : found()) {
        const auto at = std::lower_bound(known.begin(), known.end(), d.frame,
                                         [](const FrameDamage& a, int f) { return a.frame < f; });
        if (at == known.end() || at->frame != d.frame) known.insert(at, d);
    }
}

}  // namespace va
