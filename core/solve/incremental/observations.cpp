// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/observations.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <map>
#include <random>

namespace va {
Eigen::Matrix2d sqrtInformationOf(const PathPoint& p) {
    Eigen::Matrix2d c;
    c << p.sxx, p.sxy, p.sxy, p.syy;
    const Eigen::LLT<Eigen::Matrix2d> chol(c);
    // A path from elsewhere may come without a covariance: a tenth of a pixel is what tracking usually reaches.
    if (!(c(0, 0) > 0) || !(c(1, 1) > 0) || chol.info() != Eigen::Success || !c.allFinite())
        return Eigen::Matrix2d::Identity() * 10.0;
    return chol.matrixL().solve(Eigen::Matrix2d::Identity());
}

double median(std::vector<double> values) {
    if (values.empty()) return 0;
    const auto middle = values.begin() + std::ptrdiff_t(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

int Observations::find(int path, FrameIndex frame) const {
    const auto [begin, end] = ofPath[size_t(path)];
    const auto it = std::lower_bound(all.begin() + begin, all.begin() + end, frame,
                                     [](const PathObservation& s, FrameIndex f) { return s.frame < f; });
    return it != all.begin() + end && it->frame == frame ? int(it - all.begin()) : -1;
}

std::vector<std::pair<int, int>> Observations::shared(FrameIndex frameA, FrameIndex frameB) const {
    std::vector<std::pair<int, int>> out;
    for (int i : byFrame[frameA]) {
        if (heldBack[size_t(all[size_t(i)].path)]) continue;
        const int j = find(all[size_t(i)].path, frameB);
        if (j >= 0) out.emplace_back(i, j);
    }
    return out;
}

Observations layOut(const std::vector<Path>& paths, const std::vector<int>& frames, int width, int height,
                    double heldBackShare, uint64_t seed) {
    Observations s;
    s.width = width;
    s.height = height;
    s.frames = frames;
    s.byFrame.assign(frames.size(), {});
    std::map<int, FrameIndex> indexOf;
    for (const FrameIndex f : s.indices()) indexOf[s.number(f)] = f;
    for (const Path& path : paths) {
        if (path.setAside) continue;
        // Where the reference was re-taken the spot may have moved a little: what was measured against one reference
        // becomes a point of its own, so that the re-take can't distort the camera.
        std::map<uint16_t, std::vector<const PathPoint*>> byChain;
        for (const PathPoint& p : path.points)
            if (p.counts() && indexOf.contains(p.frame) && std::isfinite(p.x) && std::isfinite(p.y))
                byChain[p.chain].push_back(&p);
        for (const auto& [chain, points] : byChain) {
            if (points.size() < 3) continue;
            const int begin = int(s.all.size());
            for (const PathPoint* p : points)
                s.all.push_back({s.pathCount(), indexOf.at(p->frame), {p->x, p->y}, sqrtInformationOf(*p), true});
            for (int i = begin; i < int(s.all.size()); ++i) s.byFrame[s.all[size_t(i)].frame].push_back(i);
            s.pathIds.push_back(path.id);
            s.ofPath.emplace_back(begin, int(s.all.size()));
        }
    }
    // One path of each bunch of neighbours is held back. Neighbours: sorted by the cell of the path's middle
    // observation.
    s.heldBack.assign(size_t(s.pathCount()), 0);
    const int bunch = heldBackShare > 0 ? std::max(2, int(1 / heldBackShare + 0.5)) : 0;
    if (bunch == 0 || s.pathCount() < 40) return s;
    std::vector<std::pair<std::pair<int, int>, int>> order;
    for (int p = 0; p < s.pathCount(); ++p) {
        const auto [begin, end] = s.ofPath[size_t(p)];
        if (end - begin < 8) continue;
        const PathObservation& m = s.all[size_t((begin + end) / 2)];
        order.push_back({{int(m.pixel.y() * 6 / std::max(1, height)), int(m.pixel.x() * 10 / std::max(1, width))}, p});
    }
    std::sort(order.begin(), order.end());
    std::mt19937_64 random(seed);
    for (size_t begin = 0; begin + size_t(bunch) <= order.size(); begin += size_t(bunch))
        s.heldBack[size_t(order[begin + size_t(random() % uint64_t(bunch))].second)] = 1;
    return s;
}

}  // namespace va
