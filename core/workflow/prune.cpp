// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/prune.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "base/text.h"
#include "track/calibrate.h"

namespace va {
namespace {

/// Paths that come within half a patch of a longer one but not all the way along with it.
std::set<int> crossingPaths(const Shot& shot) {
    struct Here {
        const Path* path;
        const PathPoint* point;
    };
    std::map<int, std::vector<Here>> byFrame;
    for (const Path& p : *shot.paths)
        if (!p.setAside)
            for (const PathPoint& q : p.points)
                if (q.counts()) byFrame[q.frame].push_back({&p, &q});
    const double near = 0.5 * defaultPatchRadius(shot.plate.width);
    std::map<std::pair<int, int>, std::pair<int, int>> close;  // by ids: frames close, frames together
    for (auto& [frame, here] : byFrame) {
        std::sort(here.begin(), here.end(), [](const Here& a, const Here& b) { return a.point->x < b.point->x; });
        for (size_t i = 0; i < here.size(); ++i)
            for (size_t k = i + 1; k < here.size() && here[k].point->x - here[i].point->x < near; ++k)
                if (std::fabs(here[k].point->y - here[i].point->y) < near)
                    ++close[std::minmax(here[i].path->id, here[k].path->id)].first;
    }
    std::set<int> out;
    for (const auto& [ids, count] : close) {
        const Path &a = *shot.path(ids.first), &b = *shot.path(ids.second);
        int together = 0;
        double apart = 0;
        for (const PathPoint& q : a.points)
            if (const PathPoint* o = b.at(q.frame))
                ++together, apart = std::max(apart, std::hypot(q.x - o->x, q.y - o->y));
        if (together < 3 || apart < 2 * near) continue;  // neighbours that stay neighbours do no harm
        // The shorter one is the likelier to slip; paths by hand stay.
        const bool first =
            b.origin == PathOrigin::byHand || (a.origin != PathOrigin::byHand && a.points.size() < b.points.size());
        out.insert(first ? a.id : b.id);
    }
    return out;
}

}  // namespace

bool PruneRules::any() const {
    return shorterThan || raggedOver || qualityUnder || driftOver || jumpOver || residualOver || nearerToEdge ||
           varianceInflationOver || anisotropyUnder || inMask || crossing;
}

std::map<int, std::string> pathsToPrune(const Shot& shot, const PruneRules& rules) {
    std::map<int, std::string> out;
    if (!rules.any()) return out;
    std::map<int, double> residual;
    for (const SolvedPoint& p : shot.solve->points) residual[p.pathId] = p.rmsPx;
    std::vector<std::vector<float>> ragged;
    if (rules.raggedOver || rules.jumpOver) ragged = raggedness(*shot.paths);
    const std::set<int> crossing = rules.crossing ? crossingPaths(shot) : std::set<int>{};
    for (size_t k = 0; k < shot.paths->size(); ++k) {
        const Path& p = (*shot.paths)[k];
        if (p.setAside || (p.origin == PathOrigin::byHand && !rules.byHandToo)) continue;
        int counting = 0, masked = 0;
        double squares = 0, most = 0, edge = 1e9;
        for (size_t i = 0; i < p.points.size(); ++i) {
            const PathPoint& q = p.points[i];
            masked += q.masked;
            if (!q.counts()) continue;
            ++counting;
            if (!ragged.empty()) {
                const auto r = double(ragged[k][i]);
                squares += r * r, most = std::max(most, r);
            }
            edge = std::min({edge, q.x, q.y, shot.plate.width - 1 - q.x, shot.plate.height - 1 - q.y});
        }
        const double rough = std::sqrt(squares / std::max(1, counting));
        const auto r = residual.find(p.id);
        std::string why;
        if (rules.shorterThan && counting < *rules.shorterThan) why = text("only %d frames long", counting);
        else if (rules.raggedOver && rough > *rules.raggedOver) why = text("ragged: %.2f px off smooth motion", rough);
        else if (rules.qualityUnder && p.meanQuality() < *rules.qualityUnder)
            why = text("quality %.2f", p.meanQuality());
        else if (rules.driftOver && double(p.drift()) > *rules.driftOver)
            why = text("may have drifted %.2f px", double(p.drift()));
        else if (rules.jumpOver && most > *rules.jumpOver) why = text("jumps by %.2f px", most);
        else if (rules.residualOver && r != residual.end() && r->second > *rules.residualOver)
            why = text("residual %.2f px", r->second);
        else if (rules.nearerToEdge && edge < *rules.nearerToEdge) why = text("%.0f px from the picture's edge", edge);
        else if (rules.varianceInflationOver && double(p.evidence.varianceInflation) > *rules.varianceInflationOver)
            why = text("patch holds two surfaces (variance inflation %.1f)", double(p.evidence.varianceInflation));
        else if (rules.anisotropyUnder && double(p.evidence.anisotropy) < *rules.anisotropyUnder)
            why = text("slides along an edge (anisotropy %.2f)", double(p.evidence.anisotropy));
        else if (rules.inMask && masked * 2 >= int(p.points.size()) && masked > 0) why = text("in a mask");
        else if (crossing.contains(p.id)) why = text("crosses another path");
        if (!why.empty()) out[p.id] = why;
    }
    return out;
}

Shot withSetAside(const Shot& shot, const std::map<int, std::string>& reasons) {
    Shot out = shot;
    auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
    for (Path& p : *paths)
        if (const auto at = reasons.find(p.id); at != reasons.end()) p.setAside = true, p.setAsideReason = at->second;
    out.paths = paths;
    return out;
}

Shot withSpanSetAside(const Shot& shot, const std::vector<int>& pathIds, FrameRange span, bool aside) {
    Shot out = shot;
    auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
    for (Path& p : *paths)
        if (std::find(pathIds.begin(), pathIds.end(), p.id) != pathIds.end())
            for (PathPoint& q : p.points)
                if (span.contains(q.frame)) q.aside = aside;
    out.paths = paths;
    return out;
}

}  // namespace va
