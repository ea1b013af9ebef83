// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/point_placement.h"

#include <optional>
#include <vector>

#include "base/parallel.h"
#include "solve/incremental/thresholds.h"
#include "solve/minimal/triangulate.h"

namespace va {
namespace {

struct Placed {
    Eigen::Vector3d position;
    std::vector<int> seen;  ///< observations whose views are solved
};

/// Where the rays of a path meet, if they do at `leastAngle` or more.
std::optional<Placed> placeOf(const Reconstruction& r, int path, double leastAngle) {
    const Observations& o = r.observations();
    const auto [begin, end] = o.ofPath[size_t(path)];
    std::vector<Observation> seen;
    std::vector<int> which;
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
    if (seen.size() < 2) return std::nullopt;
    const auto point = triangulate(seen);
    if (!point || point->angle < leastAngle) return std::nullopt;
    return Placed{point->position, std::move(which)};
}

}  // namespace

int addPoints(Reconstruction& r, double leastAngle) {
    const Observations& o = r.observations();
    std::vector<int> missing;
    for (int p = 0; p < o.pathCount(); ++p)
        if (!r.points()[size_t(p)] && !o.heldBack[size_t(p)] && !r.slides(p)) missing.push_back(p);
    std::vector<std::optional<Placed>> places(missing.size());
    parallelRanges(int(missing.size()), 16, [&](int begin, int end) {
        for (auto i = size_t(begin); i < size_t(end); ++i) places[i] = placeOf(r, missing[i], leastAngle);
    });
    int added = 0;
    for (size_t k = 0; k < missing.size(); ++k) {
        const int p = missing[k];
        if (!places[k]) continue;
        r.setPoint(p, places[k]->position);
        int good = 0;
        for (const int i : places[k]->seen) {
            const auto off = r.residual(o.all[size_t(i)]);
            const bool agrees = off && off->norm() < limits::placedWithin;
            r.setUse(i, agrees);
            good += agrees;
        }
        if (good < 2 || good * 3 < int(places[k]->seen.size()) * 2) r.dropPoint(p);
        else ++added;
    }
    return added;
}

}  // namespace va
