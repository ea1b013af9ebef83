// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/mover_features.h"

#include <algorithm>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "solve/mover.h"
#include "workflow/exclusion.h"
#include "workflow/mover_work.h"
#include "workflow/whole_frames.h"

namespace va {
namespace {

constexpr size_t enough = 160;  ///< features of a mover
using Outline = std::vector<Eigen::Vector2d>;

double cross(const Eigen::Vector2d& a, const Eigen::Vector2d& b, const Eigen::Vector2d& c) {
    return (b - a).x() * (c - a).y() - (b - a).y() * (c - a).x();
}

/// Convex outline of points (Andrew's monotone chain, 1979), widened by three tenths: features lie inside of things,
/// and the first ones on a part of them. What stands outside of the thing is told by how it moves.
Outline outlineOf(Outline points) {
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

/// Where the mover's used features stand, by frame.
std::map<int, Outline> outlinesOf(const Shot& shot, const Mover& m) {
    std::map<int, Outline> out;
    for (const SolvedPoint& p : m.solve->points)
        if (const Path* path = shot.path(p.pathId))
            for (const PathPoint& q : path->points)
                if (q.counts()) out[q.frame].emplace_back(q.x, q.y);
    for (auto& [frame, outline] : out) outline = outline.size() < 4 ? Outline() : outlineOf(std::move(outline));
    return out;
}

/// New features inside of the outlines, tracked.
std::vector<Path> moreFeatures(const Shot& shot, const std::map<int, Outline>& outlines, Progress& progress) {
    const auto source = openPlate(shot.plateSpec, shot.overrides);
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
    // The finder shares features out over the frame: the mover's part of that share is to hold what it needs.
    double area = 1;
    for (const auto& [frame, outline] : outlines) area = std::max(area, areaOf(outline));
    const double whole = double(shot.plate.width) * shot.plate.height;
    request.options.features = int(std::min(8000.0, 1.5 * double(enough) * whole / area));
    request.options.spacing = std::max(4.0, 0.6 * defaultPatchRadius(shot.plate.width));
    request.standing = shot.paths.get();
    request.firstId = shot.paths->empty() ? 1 : shot.paths->back().id + 1;
    progress.stage(text("Finding features on the mover"), int(request.frames.size()), 0.4);
    if (request.frames.size() < 2) return {};
    std::vector<Path> out = trackFeatures(std::move(request), progress);
    reader.removeFrom(out);
    return out;
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

}  // namespace

Shot withMoverFeatures(const Shot& shot, Progress& progress, bool proposed) {
    Shot out = shot;
    std::vector<int> bogus;
    for (Mover& m : out.movers) {
        if (m.solve->motion != Motion::free || m.paths.size() >= enough) continue;
        const std::map<int, Outline> outlines = outlinesOf(out, m);
        std::vector<Path> fresh = moreFeatures(out, outlines, progress);
        const size_t found = fresh.size();
        const double close = 0.6 * std::max(1.0, out.plate.width / 1280.0);
        const auto still = standingStill(*out.solve, fresh, close);
        std::erase_if(fresh, [&](const Path& p) { return std::find(still.begin(), still.end(), p.id) != still.end(); });
        if (proposed && found >= 20 && fresh.size() * 4 < found) {
            bogus.push_back(m.id);
            continue;
        }
        if (fresh.empty()) continue;
        Shot tried = out;
        auto paths = std::make_shared<std::vector<Path>>(*out.paths);
        for (const Path& p : fresh) paths->push_back(p);
        tried.paths = paths;
        Mover with = m;
        if (proposed) with.paths = withoutStanding(out, m.paths, close);
        for (const Path& p : fresh) with.paths.push_back(p.id);
        tried.movers = {with};
        const Mover solved = withMoversSolved(tried, progress).movers.front();
        if (solved.solve->motion != Motion::free || solved.solve->solvedCount() < m.solve->solvedCount()) continue;
        // The mover's are those that got a point; what lies behind it or in front of it does not move with it.
        std::vector<int> won;
        for (const Path& p : fresh)
            if (std::any_of(solved.solve->points.begin(), solved.solve->points.end(),
                            [&](const SolvedPoint& q) { return q.pathId == p.id; }))
                won.push_back(p.id);
        if (won.empty()) continue;
        auto kept = std::make_shared<std::vector<Path>>(*out.paths);
        for (const Path& p : fresh)
            if (std::find(won.begin(), won.end(), p.id) != won.end()) kept->push_back(p);
        // They are no news for the camera's solve, which leaves out what belongs to movers.
        const bool cameraFresh = out.solveFrom == fingerprintOfSolveInput(out);
        out.paths = kept;
        if (proposed) m.paths = withoutStanding(out, m.paths, close);
        m.paths.insert(m.paths.end(), won.begin(), won.end());
        m.solve = solved.solve;
        if (cameraFresh) out.solveFrom = fingerprintOfSolveInput(out);
        m.solveFrom = fingerprintOfMoverInput(out, m);
    }
    const bool cameraFresh = out.solveFrom == fingerprintOfSolveInput(out);
    std::erase_if(out.movers,
                  [&](const Mover& m) { return std::find(bogus.begin(), bogus.end(), m.id) != bogus.end(); });
    if (cameraFresh) out.solveFrom = fingerprintOfSolveInput(out);
    return withLensOfMovers(out);
}

}  // namespace va
