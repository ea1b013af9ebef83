// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene_view/cloud_colours.h"

#include <algorithm>
#include <cmath>

namespace va {
namespace {

/// Mean over 3 × 3 pixels of the picture around a position given as a share of its size.
std::optional<QRgb> colourAt(const DisplayPicture& picture, double across, double down) {
    const int cx = int(std::floor(across * picture.width)), cy = int(std::floor(down * picture.height));
    int red = 0, green = 0, blue = 0, n = 0;
    for (int y = std::max(0, cy - 1); y <= std::min(picture.height - 1, cy + 1); ++y)
        for (int x = std::max(0, cx - 1); x <= std::min(picture.width - 1, cx + 1); ++x) {
            const QRgb p = picture.data[size_t(y) * size_t(picture.width) + size_t(x)];
            red += qRed(p), green += qGreen(p), blue += qBlue(p), ++n;
        }
    if (n == 0) return std::nullopt;
    return qRgb(red / n, green / n, blue / n);
}

}  // namespace

void CloudColours::update(const Shot& shot, const FrameCache* cache) {
    if (solve_ != shot.solve || plate_ != shot.plateSpec) {
        if (plate_ != shot.plateSpec) colours_.clear();
        solve_ = shot.solve;
        plate_ = shot.plateSpec;
        wanted_ = shot.solve->points.size();
    }
    if (!cache) return;
    for (int frame = shot.range.first; frame <= shot.range.last && colours_.size() < wanted_; ++frame)
        if (cache->picture(frame)) take(shot, *cache, frame);
}

bool CloudColours::take(const Shot& shot, const FrameCache& cache, int frame) {
    if (shot.solve->points.empty() || colours_.size() >= wanted_) return false;
    const auto picture = cache.picture(frame);
    if (!picture) return false;
    bool found = false;
    for (const SolvedPoint& p : shot.solve->points) {
        if (colours_.contains(p.pathId)) continue;
        const Path* path = shot.path(p.pathId);
        const PathPoint* q = path ? path->at(frame) : nullptr;
        if (!q) continue;
        if (const auto c = colourAt(*picture, (q->x + 0.5) / shot.plate.width, (q->y + 0.5) / shot.plate.height))
            colours_[p.pathId] = *c, found = true;
    }
    return found;
}

std::optional<QColor> CloudColours::of(int pathId) const {
    const auto at = colours_.find(pathId);
    return at != colours_.end() ? std::optional(QColor(at->second)) : std::nullopt;
}

}  // namespace va
