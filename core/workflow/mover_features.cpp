// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/mover_features.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/error.h"
#include "base/text.h"
#include "solve/mover.h"
#include "solve/mover_fit.h"
#include "solve/mover_search.h"
#include "workflow/exclusion.h"
#include "workflow/match_shot.h"
#include "workflow/mover_work.h"
#include "workflow/open_plate.h"
#include "workflow/stale.h"
#include "workflow/whole_frames.h"

namespace va {
namespace {

constexpr size_t enough = 160;      ///< features of a mover
constexpr size_t fewestFound = 20;  ///< points of one that nobody pointed at
using Outline = std::vector<Eigen::Vector2d>;

double cross(const Eigen::Vector2d& a, const Eigen::Vector2d& b, const Eigen::Vector2d& c) {
    return (b - a).x() * (c - a).y() - (b - a).y() * (c - a).x();
}

/// Convex outline of points (Andrew's monotone chain, 1979).
Outline hullOf(Outline points) {
    std::sort(points.begin(), points.end(),
              [](const auto& a, const auto& b) { return std::pair(a.x(), a.y()) < std::pair(b.x(), b.y()); });
    Outline out;
    for (int side = 0; side < 2; ++side) {
        const size_t start = out.size();
        for (const auto& p : points) {
            while (out.size() >= start + 2 && cross(out[out.size() - 2], out.back(), p) <= 0) out.pop_back();
            out.push_back(p);
        }
        out.pop_back();
        std::reverse(points.begin(), points.end());
    }
    return out;
}

/// Convex outline of points, widened by three tenths: features lie inside of things, and the first ones on a part of
/// them. What stands outside of the thing is told by how it moves.
Outline outlineOf(Outline points) {
    Outline out = hullOf(std::move(points));
    Eigen::Vector2d middle = Eigen::Vector2d::Zero();
    for (const auto& p : out) middle += p / double(out.size());
    for (auto& p : out) p = (middle + 1.3 * (p - middle)).eval();
    return out;
}

bool contains(const Outline& outline, const Eigen::Vector2d& p) {
    if (outline.size() < 3) return false;
    for (size_t i = 0; i < outline.size(); ++i)
        if (cross(outline[i], outline[(i + 1) % outline.size()], p) < 0) return false;
    return true;
}

double areaOf(const Outline& outline) {
    double twice = 0;
    for (size_t i = 1; i + 1 < outline.size(); ++i) twice += cross(outline[0], outline[i], outline[i + 1]);
    return twice / 2;
}

/// Where the mover's used features stand, by frame; in frames close to those that have some, where they stood there.
std::map<int, Outline> outlinesOf(const Shot& shot, const Mover& m) {
    constexpr int onward = 8;  // frames
    std::map<int, Outline> out;
    for (const SolvedPoint& p : m.solve->points)
        if (const Path* path = shot.path(p.pathId))
            for (const PathPoint& q : path->points)
                if (q.counts()) out[q.frame].emplace_back(q.x, q.y);
    std::erase_if(out, [](const auto& at) { return at.second.size() < 4; });
    for (auto& [frame, outline] : out) outline = outlineOf(std::move(outline));
    if (out.empty()) return out;
    const Outline before = out.begin()->second, after = out.rbegin()->second;
    const int first = out.begin()->first, last = out.rbegin()->first;
    for (const int f : shot.frames()) {
        if (f < first && f >= first - onward) out[f] = before;
        if (f > last && f <= last + onward) out[f] = after;
    }
    return out;
}

/// Around some paths in every frame that sees one of them: as far as to where the next feature would stand.
std::map<int, Outline> outlinesAround(const Shot& shot, const std::vector<int>& ids) {
    double seen = 1;
    for (const Path& p : *shot.paths) seen += double(p.points.size());
    const double spacing =
        std::sqrt(double(shot.plate.width) * shot.plate.height * double(shot.frames().size()) / seen);
    std::map<int, Outline> out;
    for (const int id : ids)
        if (const Path* path = shot.path(id))
            for (const PathPoint& q : path->points)
                if (q.counts())
                    for (int k = 0; k < 8; ++k)
                        out[q.frame].emplace_back(q.x + spacing * std::cos(k * M_PI / 4),
                                                  q.y + spacing * std::sin(k * M_PI / 4));
    for (auto& [frame, outline] : out) outline = hullOf(std::move(outline));
    return out;
}

/// New features inside of the outlines, tracked.
std::vector<Path> moreFeatures(const Shot& shot, const std::map<int, Outline>& outlines, Progress& progress) {
    const auto source = openPlateOf(shot);
    Exclusion exclusion(shot);
    TrackRequest request;
    for (const int f : shot.frames())
        if (const auto at = outlines.find(f); at != outlines.end() && !at->second.empty()) request.frames.push_back(f);
    WholeFrames reader(*source);
    request.read = [&](int f) { return reader.read(f); };
    request.allowed = [&](int f, double x, double y) {
        const auto at = outlines.find(f);
        return at != outlines.end() && contains(at->second, {x, y}) &&
               (exclusion.empty() || exclusion.allowed(f, x, y));
    };
    request.options = trackOptions(shot.density, Care::quick);
    // The finder shares features out over the frame: the mover's part of that share is to hold what it needs. Several
    // times as much is asked for: edges of things and what lies behind them are found as well, and most are dropped.
    double area = 1;
    for (const auto& [frame, outline] : outlines) area = std::max(area, areaOf(outline));
    const double whole = double(shot.plate.width) * shot.plate.height;
    request.options.features = int(std::min(8000.0, 5 * double(enough) * whole / area));
    request.options.spacing =
        std::max({4.0, 0.6 * defaultPatchRadius(shot.plate.width), std::sqrt(area / (40.0 * double(enough)))});
    request.standing = shot.paths.get();
    request.firstId = shot.paths->empty() ? 1 : shot.paths->back().id + 1;
    progress.stage(text("Finding features on the mover"), int(request.frames.size()), 0.4);
    if (request.frames.size() < 2) return {};
    std::vector<Path> out = trackFeatures(std::move(request), progress);
    reader.removeFrom(out);
    return out;
}

/// Rigid things fit about as well as the scene does; what fits worse only looks like one. Closer where it is flat: a
/// shadow on the ground and a mirror image move nearly rigidly too.
bool fitsLikeScene(const Shot& shot, const SolveResult& mover) {
    return shot.solve->rmsPx <= 0 || mover.rmsPx <= (liesOnPlane(mover) ? 1.3 : 2) * shot.solve->rmsPx;
}

/// Those of a mover's paths that the scene does not explain as well.
std::vector<int> withoutStanding(const Shot& shot, const std::vector<int>& ids, double close) {
    std::vector<Path> own;
    for (const int id : ids)
        if (const Path* p = shot.path(id)) own.push_back(*p);
    std::vector<int> out = ids;
    for (const int id : standingStill(*shot.solve, own, close)) std::erase(out, id);
    return out.size() * 2 >= ids.size() ? out : ids;
}

Shot withPathsAdded(const Shot& shot, const std::vector<Path>& more) {
    auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
    paths->insert(paths->end(), more.begin(), more.end());
    Shot out = shot;
    out.paths = paths;
    return out;
}

std::vector<int> pathsOfMovers(const Shot& shot) {
    std::vector<int> out;
    for (const Mover& m : shot.movers) out.insert(out.end(), m.paths.begin(), m.paths.end());
    return out;
}

/// A mover of what was proposed, with its solve; the shot as it was where it does not look like a rigid thing.
Shot withProposal(const Shot& shot, const MoverProposal& p) {
    if (!fitsLikeScene(shot, p.solve)) return shot;
    Shot out = withMover(shot, p.ids);
    out.movers.back().solve = std::make_shared<SolveResult>(p.solve);
    out.movers.back().solveFrom = fingerprintOfMoverInput(out, out.movers.back());
    // Its paths were not used by the camera's solve anyway: that is not stale for it.
    if (shot.solveFrom == fingerprintOfSolveInput(shot)) out.solveFrom = fingerprintOfSolveInput(out);
    return out;
}

/// Whether most of where some paths stand is inside of the outline of a mover: its edges, shadow and mirrors are there.
bool liesOnMovers(const Shot& shot, const std::vector<int>& ids) {
    int inside = 0, all = 0;
    std::vector<std::map<int, Outline>> outlines;
    for (const Mover& m : shot.movers)
        if (m.solve->motion == Motion::free) outlines.push_back(outlinesOf(shot, m));
    for (const int id : ids)
        if (const Path* path = shot.path(id))
            for (const PathPoint& q : path->points) {
                ++all;
                inside += std::any_of(outlines.begin(), outlines.end(), [&](const auto& of) {
                    const auto at = of.find(q.frame);
                    return at != of.end() && contains(at->second, Eigen::Vector2d(q.x, q.y));
                });
            }
    return 2 * inside > all;
}

/// A thing that fills a small part of the frame holds few of the scene's features, too few to tell its motion from
/// chance: where some of them are neighbours, more are tracked first.
Shot withHintsFollowed(const Shot& shot, Progress& progress) {
    Shot out = shot;
    const SolveRequest request = solveRequestFor(shot);
    const double close = 0.6 * std::max(1.0, shot.plate.width / 1280.0);
    for (const std::vector<int>& hint : moverHints(*shot.solve, *shot.paths, pathsOfMovers(shot), request)) {
        progress.check();
        if (liesOnMovers(out, hint)) continue;
        std::vector<Path> fresh = moreFeatures(out, outlinesAround(out, hint), progress);
        const std::vector<int> still = standingStill(*out.solve, fresh, close);
        std::erase_if(fresh, [&](const Path& p) { return std::find(still.begin(), still.end(), p.id) != still.end(); });
        std::vector<int> ids = hint;
        for (const Path& p : fresh) ids.push_back(p.id);
        const auto proposal = proposeMover(*out.solve, *withPathsAdded(out, fresh).paths, ids, request, progress);
        if (!proposal) continue;
        std::erase_if(fresh, [&](const Path& p) {
            return !std::binary_search(proposal->ids.begin(), proposal->ids.end(), p.id);
        });
        const bool cameraFresh = out.solveFrom == fingerprintOfSolveInput(out);
        Shot with = withPathsAdded(out, fresh);
        if (cameraFresh) with.solveFrom = fingerprintOfSolveInput(with);
        with = withProposal(with, *proposal);
        if (with.movers.size() > out.movers.size()) out = std::move(with);
    }
    return out;
}

enum class Won { some, nothing, isNoMover };

/// One round of looking for features on a mover, which one that was only `proposed` may not survive.
Won winFeatures(Shot& out, Mover& m, Progress& progress, bool proposed) {
    std::vector<Path> fresh = moreFeatures(out, outlinesOf(out, m), progress);
    const size_t found = fresh.size();
    const double close = 0.6 * std::max(1.0, out.plate.width / 1280.0);
    const auto still = standingStill(*out.solve, fresh, close);
    std::erase_if(fresh, [&](const Path& p) { return std::find(still.begin(), still.end(), p.id) != still.end(); });
    if (proposed && found >= 20 && fresh.size() * 4 < found) return Won::isNoMover;
    if (fresh.empty()) return Won::nothing;
    Shot tried = withPathsAdded(out, fresh);
    Mover with = m;
    if (proposed) with.paths = withoutStanding(out, m.paths, close);
    for (const Path& p : fresh) with.paths.push_back(p.id);
    tried.movers = {with};
    const Mover solved = withMoversSolvedWhole(tried, progress).movers.front();
    if (solved.solve->motion != Motion::free || solved.solve->solvedCount() < m.solve->solvedCount())
        return Won::nothing;
    if (proposed && !fitsLikeScene(out, *solved.solve)) return Won::nothing;
    // The mover's are those that got a point; what lies behind it or in front of it does not move with it.
    std::set<int> placed;
    for (const SolvedPoint& p : solved.solve->points) placed.insert(p.pathId);
    std::erase_if(fresh, [&](const Path& p) { return !placed.contains(p.id); });
    if (fresh.empty()) return Won::nothing;
    // They are no news for the camera's solve, which leaves out what belongs to movers.
    const bool cameraFresh = out.solveFrom == fingerprintOfSolveInput(out);
    if (proposed) m.paths = withoutStanding(out, m.paths, close);
    for (const Path& p : fresh) m.paths.push_back(p.id);
    m.solve = solved.solve;
    out.paths = withPathsAdded(out, fresh).paths;
    if (cameraFresh) out.solveFrom = fingerprintOfSolveInput(out);
    m.solveFrom = fingerprintOfMoverInput(out, m);
    return Won::some;
}

}  // namespace

Shot withMoverFeatures(const Shot& shot, Progress& progress, bool proposed) {
    constexpr int rounds = 4;
    Shot out = shot;
    std::set<int> none;
    for (Mover& m : out.movers) {
        if (m.solve->motion != Motion::free) continue;
        const int all = int(m.solve->frames.size());
        if (m.paths.size() >= enough && m.solve->solvedCount() == all) continue;
        // What is won at the ends of the solved frames leads into the next ones.
        for (int round = 0, had = 0; round < rounds && m.solve->solvedCount() > had; ++round) {
            had = m.solve->solvedCount();
            const Won won = winFeatures(out, m, progress, proposed && round == 0);
            if (won == Won::isNoMover) none.insert(m.id);
            if (won != Won::some || m.solve->solvedCount() == all) break;
        }
    }
    const bool cameraFresh = out.solveFrom == fingerprintOfSolveInput(out);
    std::erase_if(out.movers, [&](const Mover& m) { return none.contains(m.id); });
    if (cameraFresh) out.solveFrom = fingerprintOfSolveInput(out);
    return withLensOfMovers(out);
}

Shot withMoversFound(const Shot& shot, Progress& progress) {
    if (!shot.solve->has()) return shot;
    Shot out = withHintsFollowed(shot, progress);
    const SolveRequest request = solveRequestFor(shot);
    for (const MoverProposal& p : proposeMovers(*out.solve, *out.paths, pathsOfMovers(out), request, progress))
        out = withProposal(out, p);
    // Features that came for one are no news for another.
    for (size_t i = shot.movers.size(); i < out.movers.size(); ++i)
        out.movers[i].solveFrom = fingerprintOfMoverInput(out, out.movers[i]);
    out = withMoverFeatures(withMoversSolvedWhole(withLensOfMovers(out), progress), progress, true);
    // Where a search that close finds no more than a handful, they agree by chance.
    const bool cameraFresh = out.solveFrom == fingerprintOfSolveInput(out);
    std::erase_if(out.movers, [&](const Mover& m) {
        return !shot.mover(m.id) && (m.solve->motion != Motion::free || m.solve->points.size() < fewestFound ||
                                     !fitsLikeScene(out, *m.solve));
    });
    if (cameraFresh) out.solveFrom = fingerprintOfSolveInput(out);
    for (Mover& m : out.movers) keepHeldFrames(m);
    return withSharedLens(out, progress);
}

}  // namespace va
