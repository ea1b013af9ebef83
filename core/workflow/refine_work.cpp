// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/refine_work.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/text.h"
#include "solve/report/solve_errors.h"
#include "workflow/match_shot.h"

namespace va {

std::string refineSentence(int observations, int paths, double fitBefore, double fitAfter, double checkBefore,
                           double checkAfter) {
    if (observations == 0 && paths == 0)
        return text("Nothing stands out: fit %.3f px. There is nothing to set aside.", fitBefore);
    std::string out = text("Set aside %d single observation%s and %d path%s. Fit %.3f → %.3f px", observations,
                           observations == 1 ? "" : "s", paths, paths == 1 ? "" : "s", fitBefore, fitAfter);
    if (checkBefore < 0 || checkAfter < 0)
        return text("%s; there is no check error to tell whether the camera gained.", out.c_str());
    out += text(", check %.3f → %.3f px. ", checkBefore, checkAfter);
    const double gain = 1 - checkAfter / std::max(1e-9, checkBefore);
    if (gain > 0.02) return text("%sThe check error fell as well: the camera is better.", out.c_str());
    if (gain < -0.02)
        return text(
            "%sThe check error rose: the camera is worse for it. Undo, and look at the lens or for things that move.",
            out.c_str());
    return text("%sOnly the fit error fell: the number is smaller, the camera no better.", out.c_str());
}

Shot withRefinement(const Shot& shot, const RefineRule& rule, Progress& progress) {
    Shot out = shot;
    const SolveResult& solve = *shot.solve;
    if (solve.motion != Motion::free) {
        out.refineReport = text("There is no solve with depth yet to refine. Solve first.");
        return out;
    }
    const double limit = std::max(rule.never, rule.overTimes * solve.rmsPx);
    struct Count {
        int all = 0;
        std::vector<int> bad;
    };
    std::map<int, Count> counts;
    for (const SolveError& e : solveErrors(solve, *shot.paths)) {
        if (!e.used || e.heldBack) continue;
        Count& c = counts[e.pathId];
        ++c.all;
        if (e.off.norm() > limit) c.bad.push_back(e.frame);
    }
    auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
    int observations = 0, whole = 0;
    for (Path& p : *paths) {
        const auto c = counts.find(p.id);
        if (c == counts.end() || p.setAside || p.origin == PathOrigin::byHand || c->second.bad.empty()) continue;
        const auto bad = int(c->second.bad.size());
        if (bad * 3 >= c->second.all) {
            p.setAside = true;
            p.setAsideReason = text("off by more than %.2f px in %d of %d frames", limit, bad, c->second.all);
            ++whole;
            continue;
        }
        for (const int frame : c->second.bad)
            if (PathPoint* q = p.at(frame)) q->aside = true, ++observations;
    }
    if (observations > 0 || whole > 0) {
        out.paths = paths;
        out = withSolveUpdated(out, progress);
    }
    out.refineReport =
        refineSentence(observations, whole, solve.rmsPx, out.solve->rmsPx, solve.checkRmsPx, out.solve->checkRmsPx);
    return out;
}

}  // namespace va
