// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/resume.h"

#include <algorithm>
#include <map>
#include <set>

namespace va {
namespace {

bool sameKind(const SolveRequest& asked, const Intrinsics& lens, const SolveResult& from) {
    if (from.motion != Motion::free || from.lens.lens.kind() != lens.lens.kind()) return false;
    if (asked.move != MoveChoice::automatic && asked.move != MoveChoice::free) return false;
    return asked.zoom == ZoomChoice::automatic || (asked.zoom == ZoomChoice::zooms) == from.zooms;
}

}  // namespace

std::unique_ptr<Reconstruction> resumed(const SolveQuestion& question, const SolveResult& from) {
    const SolveRequest& asked = question.request;
    const Observations& s = question.observations;
    if (!sameKind(asked, question.lens, from)) return nullptr;
    Intrinsics lens = question.lens;
    if (asked.focal != Known::known) lens.focalPx = from.lens.focalPx;
    if (asked.principal != Known::known) lens.principalPoint = from.lens.principalPoint;
    if (asked.distortion != Known::known) lens.lens = from.lens.lens;
    auto r = std::make_unique<Reconstruction>(s, lens, from.zooms);
    if (!asked.focalByFrame.empty()) r->holdFocals(asked.focalByFrame.in(r->observations().frames));
    for (const FrameIndex f : s.indices())
        if (const SolvedFrame* had = from.at(s.number(f)); had && had->solved)
            if (had->origin == PoseOrigin::solved || had->before) {
                r->setView(f, viewFromPose(had->before ? *had->before : had->pose));
                r->setFocal(f, had->focalPx);
                if (had->rate) r->setMeasuredRate(f, *had->rate);
            }
    std::map<int, const SolvedPoint*> points;
    for (const SolvedPoint& p : from.points)
        if (!p.heldBack) points[p.pathId] = &p;
    int kept = 0;
    for (int p = 0; p < s.pathCount(); ++p) {
        const auto at = points.find(s.pathIds[size_t(p)]);
        const auto [begin, end] = s.ofPath[size_t(p)];
        if (at == points.end() || s.heldBack[size_t(p)]) continue;
        // The path may have grown, or be one of several stretches that were measured against other references.
        const FrameRange had = at->second->stretch;
        const int first = s.number(s.all[size_t(begin)].frame), last = s.number(s.all[size_t(end) - 1].frame);
        const int common = FrameRange{std::max(first, had.first), std::min(last, had.last)}.count();
        if (2 * common < std::min(had.count(), last - first + 1)) continue;
        r->setPoint(p, at->second->position);
        ++kept;
    }
    if (kept < s.fewest.placed || r->solvedFrames() < 2) return nullptr;
    // Also where rows were found to be read one after the other although nothing was said of it.
    const bool found = asked.readoutKnown == Known::unknown && from.readoutSigma >= 0;
    const bool solves = asked.readoutKnown == Known::start || found;
    if (solves) r->setReadout(from.readout, true);
    else if (asked.readoutKnown == Known::known) r->setReadout(asked.readout, false);
    return r;
}

void holdBackAs(const SolveResult& from, SolveQuestion& question) {
    const std::set<int> held(from.heldBack.begin(), from.heldBack.end());
    Observations& s = question.observations;
    if (held.empty()) return;
    for (int p = 0; p < s.pathCount(); ++p)
        s.heldBack[size_t(p)] = held.contains(s.pathIds[size_t(p)]) && !question.measured(p);
}

}  // namespace va
