// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/point_placement.h"

#include "solve/incremental/thresholds.h"
#include "solve/minimal/triangulate.h"

namespace va {

int addPoints(Reconstruction& r, double leastAngle) {
    const Observations& o = r.observations();
    int added = 0;
    for (int p = 0; p < o.pathCount(); ++p) {
        if (r.points()[size_t(p)] || o.heldBack[size_t(p)] || r.slides(p)) continue;
        std::vector<Observation> seen;
        std::vector<int> which;
        const auto [begin, end] = o.ofPath[size_t(p)];
        std::vector<View> views;
        views.reserve(size_t(end - begin));
        for (int i = begin; i < end; ++i) {
            const PathObservation& s = o.all[size_t(i)];
            const auto view = r.viewOf(s);
            const auto n = view ? r.undistorted(s) : std::nullopt;
            if (!n) continue;
            views.push_back(*view);
            seen.push_back({&views.back(), *n, 1});
            which.push_back(i);
        }
        if (seen.size() < 2) continue;
        const auto point = triangulate(seen);
        if (!point || point->angle < leastAngle) continue;
        r.setPoint(p, point->position);
        int good = 0;
        for (const int i : which) {
            const auto off = r.residual(o.all[size_t(i)]);
            const bool agrees = off && off->norm() < limits::placedWithin;
            r.setUse(i, agrees);
            good += agrees;
        }
        if (good < 2 || good * 3 < int(which.size()) * 2) r.dropPoint(p);
        else ++added;
    }
    return added;
}

}  // namespace va
