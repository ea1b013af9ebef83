// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/first_pair.h"

#include <cmath>
#include <utility>

#include "solve/incremental/thresholds.h"
#include "solve/minimal/essential.h"
#include "solve/minimal/planar_start.h"
#include "solve/minimal/triangulate.h"

namespace va {
namespace {

/// What both frames see, the lens undone, and which observations these are.
struct Common {
    Points2 a, b;
    std::vector<std::pair<int, int>> observations;
};

Common seenByBoth(const Reconstruction& r, FrameIndex frameA, FrameIndex frameB) {
    Common out;
    const Observations& s = r.observations();
    for (const auto& [i, j] : s.shared(frameA, frameB)) {
        const auto p = r.undistorted(s.all[size_t(i)]), q = r.undistorted(s.all[size_t(j)]);
        if (!p || !q) continue;
        out.a.push_back(*p), out.b.push_back(*q);
        out.observations.emplace_back(i, j);
    }
    return out;
}

/// How far the lens zoomed between the two frames: of a few shares, the one that most observations agree with.
double secondFocal(Reconstruction& r, FrameIndex frameA, FrameIndex frameB, const SamplingOptions& options) {
    double least = INFINITY, best = r.lens().focalPx;
    for (const double share : {1.0, 0.94, 1.06, 0.88, 1.13, 0.8, 1.25, 0.7, 1.4}) {
        r.setFocal(frameB, r.lens().focalPx * share);
        const Common common = seenByBoth(r, frameA, frameB);
        const auto e = robustEssential(common.a, common.b, options);
        if (e.found && e.cost < least) least = e.cost, best = r.lens().focalPx * share;
    }
    return best;
}

}  // namespace

bool beginFrom(Reconstruction& r, FrameIndex frameA, FrameIndex frameB, uint64_t seed, double leastAngle,
               FirstPairBy by) {
    const int fewest = r.observations().fewest.placed;
    SamplingOptions options;
    options.threshold = limits::pairAgreement / r.lens().focalPx;
    options.trials = 300;
    options.seed = seed;
    if (r.findsFocals()) r.setFocal(frameB, secondFocal(r, frameA, frameB, options));
    const Common common = seenByBoth(r, frameA, frameB);
    std::optional<View> pose;
    std::vector<char> agrees;
    if (by == FirstPairBy::essential) {
        const auto e = robustEssential(common.a, common.b, options);
        if (!e.found || e.agreeing < fewest) return false;
        pose = poseFromEssential(e.model, common.a, common.b, e.agrees);
        agrees = e.agrees;
    } else {
        const auto h = robustHomography(common.a, common.b, options);
        if (!h.found || h.agreeing < fewest) return false;
        const auto poses = posesFromHomography(h.model, common.a, common.b);
        const size_t reading = by == FirstPairBy::planeReadingOne ? 0 : 1;
        if (reading < poses.size()) pose = poses[reading];
        agrees = h.agrees;
    }
    if (!pose) return false;
    const View first;
    r.setView(frameA, first);
    r.setView(frameB, *pose);
    for (size_t k = 0; k < agrees.size(); ++k) {
        if (!agrees[k]) continue;
        const auto point = triangulate({{&first, common.a[k], 1}, {&*pose, common.b[k], 1}});
        if (point && point->angle > leastAngle)
            r.setPoint(r.observations().all[size_t(common.observations[k].first)].path, point->position);
    }
    return r.pointCount() >= fewest;
}

}  // namespace va
