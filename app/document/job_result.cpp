// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/job_result.h"

#include <vector>

#include "workflow/match_shot.h"
#include "workflow/merge_paths.h"

namespace va {
namespace {

void takePaths(const Shot& before, const Shot& made, Shot& now) {
    if (made.paths == before.paths) return;
    now.paths = now.paths == before.paths ? made.paths : mergedPaths(*before.paths, *now.paths, *made.paths);
    now.pathsFrom = made.pathsFrom;
    now.tracked = made.tracked;
    now.exclusionsTracked = made.exclusionsTracked;
    now.findings = made.findings;
    now.blur = made.blur;
    now.plate.damaged = made.plate.damaged;
}

void takePatches(const Shot&, const Shot& made, Shot& now) {
    for (FlatPatch& p : now.patches)
        if (const FlatPatch* tracked = made.patch(p.id); tracked && tracked->referenceFrame == p.referenceFrame) {
            p.frames = tracked->frames;
            p.trouble = tracked->trouble;
        }
}

void takeEdges(const Shot& before, const Shot& made, Shot& now) {
    // What the job took away and what it found; what the artist accepted or drew meanwhile stays.
    std::erase_if(now.edges, [&](const StraightEdge& e) {
        return before.straightEdge(e.id) && !made.straightEdge(e.id) && !e.accepted;
    });
    for (StraightEdge e : made.edges) {
        if (before.straightEdge(e.id)) continue;
        while (now.straightEdge(e.id)) ++e.id;
        now.edges.push_back(std::move(e));
    }
}

void takeChart(const Shot& before, const Shot& made, Shot& now) {
    if (made.chart != before.chart) now.chart = made.chart;
}

void takeLens(const Shot& before, const Shot& made, Shot& now) {
    if (made.priors == before.priors) return;
    now.priors.lens = made.priors.lens;
    now.priors.distortion = made.priors.distortion;
    now.priors.principal = made.priors.principal;
    now.priors.principalOffset = made.priors.principalOffset;
}

void takeSolve(const Shot& before, const Shot& made, Shot& now) {
    if (made.solve == before.solve && made.solveFrom == before.solveFrom) return;
    now.solve = made.solve;
    now.solveFrom = made.solveFrom;
    now.refineReport = made.refineReport;
    now.uprights = made.uprights;
    now.photo = made.photo;
    // What a photo's metadata said of its focal length, unless the artist gave another one meanwhile.
    const bool photo = made.solve->motion == Motion::still || made.frames().size() == 1;
    if (photo && now.priors == before.priors) now.priors = made.priors;
    now.groundBasis = made.groundBasis;
}

void takeMovers(const Shot& before, const Shot& made, Shot& now) {
    for (const Mover& m : made.movers) {
        if (!before.mover(m.id)) {
            if (!now.mover(m.id)) now.movers.push_back(m);
            continue;
        }
        for (Mover& own : now.movers)
            if (own.id == m.id && own.paths == m.paths) own.solve = m.solve, own.solveFrom = m.solveFrom;
    }
}

void takeStills(const Shot&, const Shot& made, Shot& now) {
    for (ReferenceStill& still : now.stills) {
        const ReferenceStill* found = made.still(still.id);
        if (!found) continue;
        std::erase_if(still.marks, [](const StillMark& m) { return !m.byHand; });
        for (const StillMark& m : found->marks) {
            // A path that the artist made meanwhile may have got the number of the job's.
            const Path *theirs = made.path(m.path), *ours = now.path(m.path);
            const bool same = theirs && ours && theirs->referenceFrame == ours->referenceFrame &&
                              theirs->frames() == ours->frames() && theirs->origin == ours->origin;
            if (!m.byHand && same) still.marks.push_back(m);
        }
    }
}

struct PartTaker {
    Part part;
    void (*take)(const Shot& before, const Shot& made, Shot& now);
};
constexpr PartTaker partTakers[] = {{Part::paths, takePaths},   {Part::patches, takePatches}, {Part::edges, takeEdges},
                                    {Part::chart, takeChart},   {Part::lens, takeLens},       {Part::solve, takeSolve},
                                    {Part::movers, takeMovers}, {Part::stills, takeStills}};

}  // namespace

Shot merged(const Shot& now, const JobResult& result) {
    Shot next = now;
    for (const PartTaker& p : partTakers)
        if (result.parts.testFlag(p.part)) p.take(result.before, result.made, next);
    return withGround(next, next.groundSpec);
}

}  // namespace va
