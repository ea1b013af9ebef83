// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/report/check_error.h"

#include "solve/minimal/triangulate.h"

namespace va {

std::optional<CheckedPath> checkPath(const Reconstruction& r, int path, double limit) {
    const Observations& s = r.observations();
    const auto [begin, end] = s.ofPath[size_t(path)];
    std::vector<Observation> seen;
    std::vector<const PathObservation*> which;
    std::vector<View> views;
    views.reserve(size_t(end - begin));
    for (int i = begin; i < end; ++i) {
        const PathObservation& p = s.all[size_t(i)];
        const auto view = r.viewOf(p);
        if (!view) continue;
        if (const auto n = r.lensOf(p.frame).normalisedFromPixel(p.pixel)) {
            views.push_back(*view);
            seen.push_back({&views.back(), *n, 1});
            which.push_back(&p);
        }
    }
    if (seen.size() < 6) return std::nullopt;
    const auto whole = triangulate(seen);
    if (!whole || whole->angle < 0.005) return std::nullopt;
    const auto error = [&](const Eigen::Vector3d& x, const PathObservation& p) -> double {
        const auto pixel = project(*r.viewOf(p), r.lensOf(p.frame), x);
        return pixel ? (*pixel - p.pixel).norm() : 1e6;
    };
    std::vector<Observation> half[2];
    std::vector<const PathObservation*> judged[2];
    int agreeing = 0;
    for (size_t k = 0; k < seen.size(); ++k) {
        if (error(whole->position, *which[k]) > limit) continue;
        half[agreeing % 2].push_back(seen[k]);
        judged[agreeing % 2].push_back(which[k]);
        ++agreeing;
    }
    // A path that mostly disagrees is a bad path, not news about the camera.
    if (agreeing < 6 || agreeing * 2 < int(seen.size())) return std::nullopt;
    CheckedPath out;
    out.position = whole->position;
    for (int h = 0; h < 2; ++h) {
        const auto placed = triangulate(half[h]);
        if (!placed) return std::nullopt;
        for (const PathObservation* p : judged[1 - h]) {
            const double e = error(placed->position, *p);
            out.sumSquares += e * e;
            ++out.count;
            if (e > out.worstPx) out.worstPx = e, out.worstFrame = p->frame;
        }
    }
    return out;
}

}  // namespace va
