// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/mover_search.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>
#include <set>

#include "solve/incremental/observations.h"
#include "solve/incremental/thresholds.h"
#include "solve/minimal/essential.h"
#include "solve/mover.h"
#include "solve/mover_fit.h"

namespace va {
namespace {

/// Ids of the points that are connected: not far from the others, and not much worse fitted.
std::vector<int> coreOf(const SolveResult& mover) {
    std::vector<double> axes[3], far, rms;
    for (const SolvedPoint& p : mover.points) {
        for (int k = 0; k < 3; ++k) axes[k].push_back(p.position[k]);
        rms.push_back(p.rmsPx);
    }
    const Eigen::Vector3d middle(median(axes[0]), median(axes[1]), median(axes[2]));
    for (const SolvedPoint& p : mover.points) far.push_back((p.position - middle).norm());
    const double typical = median(far), fit = median(rms);
    std::vector<int> out;
    for (size_t i = 0; i < far.size(); ++i)
        if (far[i] < 5 * typical && rms[i] < std::max(0.3, 2.5 * fit)) out.push_back(mover.points[i].pathId);
    return out;
}

/// Candidates that fit a solved mover as well: their point, placed by its frames, is seen where they are.
std::vector<int> alsoOn(const SolveResult& mover, const SolveResult& camera, const std::vector<Path>& candidates,
                        double close) {
    std::vector<int> out;
    for (const Path& path : candidates)
        if (const auto fit = fitOf(path, mover, camera, close);
            fit && fit->frames >= 8 && fit->angle >= 0.02 && fit->share >= 0.8)
            out.push_back(path.id);
    return out;
}

/// Paths among the candidates that agree with one epipolar geometry over most of the pairs of frames that see them.
std::vector<int> movingTogether(const Observations& s, const SolveResult& camera, uint64_t seed) {
    std::map<int, std::pair<int, int>> votes;  // path: agreed, judged
    const int step = std::clamp(s.frameCount() / 8, 3, 20);
    for (FrameIndex a(0); (a + step).value() < s.frameCount(); a = a + std::max(1, step / 2)) {
        const FrameIndex b = a + step;
        Points2 from, to;
        std::vector<int> path;
        for (const auto& [i, j] : s.shared(a, b)) {
            const Intrinsics first = camera.intrinsics(s.number(a)), second = camera.intrinsics(s.number(b));
            const auto p = first.normalisedFromPixel(s.all[size_t(i)].pixel),
                       q = second.normalisedFromPixel(s.all[size_t(j)].pixel);
            if (!p || !q) continue;
            from.push_back(*p), to.push_back(*q);
            path.push_back(s.all[size_t(i)].path);
        }
        if (int(path.size()) < fewestMoverPoints) continue;
        SamplingOptions options;
        options.threshold = 0.8 * std::max(1.0, s.width / 1280.0) / camera.lens.focalPx;
        options.trials = 400;
        options.seed = seed + uint64_t(a.value());
        options.polished = false;
        const auto e = robustEssential(from, to, options);
        if (!e.found || e.agreeing < fewestMoverPoints) continue;
        for (size_t k = 0; k < path.size(); ++k) {
            auto& [agreed, judged] = votes[path[k]];
            ++judged;
            agreed += e.agrees[k];
        }
    }
    std::vector<int> out;
    for (const auto& [path, v] : votes)
        if (v.first * 10 >= v.second * 7) out.push_back(s.pathIds[size_t(path)]);
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

/// Paths that the camera's solve left out, nobody has taken, and that are not only too far away for a position.
std::set<int> unexplained(const SolveResult& camera, const std::vector<Path>& paths, const std::vector<int>& taken,
                          const SolveRequest& request) {
    std::set<int> out;
    for (const SolveOutlier& o : camera.outliers)
        if (o.whole) out.insert(o.pathId);
    for (const int id : taken) out.erase(id);
    const double far = 1.5 * std::max(1.0, request.width / 1280.0);
    for (const Path& p : paths)
        if (camera.motion != Motion::lockedOff && out.contains(p.id) && isFar(p, camera, far)) out.erase(p.id);
    return out;
}

/// Those of some paths whose neighbours in the picture are mostly of the same kind and not the scene's: a thing's are,
/// while paths that slide or are noisy lie scattered among good ones.
std::set<int> amidstOthers(const SolveResult& camera, const std::vector<Path>& paths, const std::set<int>& ids,
                           size_t mostly = 4) {
    constexpr size_t neighbours = 6;
    std::set<int> scene;
    for (const SolvedPoint& p : camera.points) scene.insert(p.pathId);
    std::map<int, std::vector<std::pair<Eigen::Vector2d, bool>>> seen;
    for (const Path& p : paths) {
        const bool own = ids.contains(p.id);
        if (!own && !scene.contains(p.id)) continue;
        for (const PathPoint& q : p.points)
            if (q.counts()) seen[q.frame].emplace_back(Eigen::Vector2d(q.x, q.y), own);
    }
    std::set<int> out;
    for (const Path& p : paths) {
        if (!ids.contains(p.id) || p.points.empty()) continue;
        const PathPoint& q = p.points[p.points.size() / 2];
        std::vector<std::pair<double, bool>> near;
        for (const auto& [at, own] : seen[q.frame]) near.emplace_back((at - Eigen::Vector2d(q.x, q.y)).norm(), own);
        if (near.size() <= neighbours) continue;
        std::nth_element(near.begin(), near.begin() + neighbours, near.end());
        const auto own =
            std::count_if(near.begin(), near.begin() + neighbours + 1, [](const auto& n) { return n.second; });
        if (size_t(own) > mostly) out.insert(p.id);  // itself among them
    }
    return out;
}

/// Whether two paths are seen together for at least three frames, and in most of them within `close` px.
bool areNeighbours(const Path& a, const Path& b, double close) {
    int common = 0, near = 0;
    for (size_t i = 0, k = 0; i < a.points.size() && k < b.points.size();) {
        const PathPoint &p = a.points[i], &q = b.points[k];
        if (p.frame == q.frame) {
            ++common;
            near += std::hypot(double(p.x - q.x), double(p.y - q.y)) < close;
        }
        if (p.frame <= q.frame) ++i;
        if (q.frame <= p.frame) ++k;
    }
    return common >= 3 && 2 * near > common;
}

/// px between features next to each other, were they spread evenly over the picture.
double spacingOf(const std::vector<Path>& paths, const SolveRequest& request) {
    double seen = 0;
    for (const Path& p : paths) seen += double(p.points.size());
    return std::sqrt(double(request.width) * request.height * double(request.frames.size()) / std::max(1.0, seen));
}

/// Ids of some paths by clusters of neighbours, the largest first.
std::vector<std::vector<int>> clustersOf(const std::vector<Path>& paths, const std::set<int>& ids, double close) {
    std::vector<const Path*> own;
    for (const Path& p : paths)
        if (ids.contains(p.id)) own.push_back(&p);
    std::vector<size_t> group(own.size());
    std::iota(group.begin(), group.end(), 0);
    const auto root = [&](size_t i) {
        while (group[i] != i) i = group[i] = group[group[i]];
        return i;
    };
    for (size_t a = 0; a < own.size(); ++a)
        for (size_t b = 0; b < a; ++b)
            if (areNeighbours(*own[a], *own[b], close)) group[root(a)] = root(b);
    std::map<size_t, std::vector<int>> byRoot;
    for (size_t i = 0; i < own.size(); ++i) byRoot[root(i)].push_back(own[i]->id);
    std::vector<std::vector<int>> out;
    for (auto& [at, found] : byRoot) out.push_back(std::move(found));
    std::stable_sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.size() > b.size(); });
    return out;
}

/// Solves paths that move together, without those that stand apart, and with those that turn out to belong to them;
/// from an earlier solve of most of them where there is one. Nothing where they are no rigid thing.
std::optional<MoverProposal> proposalFrom(const SolveResult& camera, const std::vector<Path>& paths,
                                          const std::vector<Path>& candidates, const std::vector<int>& together,
                                          const SolveRequest& request, Progress& progress,
                                          const SolveResult* from = nullptr) {
    constexpr size_t many = 100;
    const double good = goodMoverFit(camera, request);
    // What agrees by chance fits far worse than that, and no part of it fits well.
    const auto hopeless = [&](const SolveResult& solve) {
        return solve.motion != Motion::free || solve.rmsPx > limits::noMover * good;
    };
    // Something of the scene, or of another thing, may agree by chance: it stands apart.
    const auto withoutApart = [&](SolveResult solve, size_t of, int draws) {
        // What many agree on needs no second look.
        const int most = of >= many ? 1 : 2;
        for (int again = 0; again < most && !hopeless(solve); ++again) {
            const std::vector<int> core = coreOf(solve);
            if (core.size() == solve.points.size() || int(core.size()) < fewestMoverPoints) break;
            const bool goesOn = core.size() >= many && camera.motion != Motion::lockedOff;
            solve = solveMover(camera, paths, core, request, progress, goesOn ? &solve : nullptr, draws);
        }
        return solve;
    };
    const auto coreSolved = [&](const std::vector<int>& ids) {
        const bool stands = camera.motion == Motion::lockedOff;
        if (from) {
            SolveResult known = withoutApart(solveMover(camera, paths, ids, request, progress, from, 0), ids.size(), 3);
            // It is left without a few that stood apart, and fits as it did.
            if (known.motion == Motion::free && known.points.size() * 10 >= from->points.size() * 8 &&
                known.rmsPx <= std::max(good, 1.1 * from->rmsPx))
                return known;
        }
        // Which of its two readings something small ends in is drawn: where the first fits, it is right. Before a
        // camera that stands nothing says what a good fit is: then the best of three.
        SolveResult first =
            withoutApart(solveMover(camera, paths, ids, request, progress, nullptr, stands ? 3 : 1), ids.size(), 3);
        if (stands || (first.motion == Motion::free && first.rmsPx <= good)) return first;
        SolveRequest other = request;
        other.seed += 1009;
        SolveResult second = withoutApart(
            solveMover(camera, paths, ids, other, progress, nullptr, hopeless(first) ? 1 : 2), ids.size(), 3);
        const bool better = second.motion == Motion::free && second.points.size() * 10 >= first.points.size() * 8 &&
                            (first.motion != Motion::free || second.rmsPx < first.rmsPx);
        return better ? second : first;
    };
    MoverProposal p;
    p.solve = coreSolved(together);
    if (p.solve.motion == Motion::free && p.solve.points.size() < many) {
        // What has been seen too briefly to be found by pairs of frames can be told by the thing's own motion.
        const std::vector<int> more = alsoOn(p.solve, camera, candidates, std::max(0.6, 4 * p.solve.rmsPx));
        if (more.size() > p.solve.points.size()) {
            SolveResult wider = coreSolved(more);
            if (wider.points.size() > p.solve.points.size() && wider.solvedCount() >= p.solve.solvedCount())
                p.solve = std::move(wider);
        }
    }
    for (const SolvedPoint& point : p.solve.points) p.ids.push_back(point.pathId);
    const double unit = std::max(1.0, request.width / 1280.0);
    if (p.solve.motion != Motion::free || int(p.ids.size()) < fewestMoverPoints || p.solve.rmsPx > 0.7 * unit ||
        p.solve.solvedCount() < 8)
        return std::nullopt;
    std::sort(p.ids.begin(), p.ids.end());
    return p;
}

}  // namespace

std::vector<int> pathsMovingTogether(const SolveResult& camera, const std::vector<Path>& paths,
                                     const std::vector<int>& taken, const SolveRequest& request) {
    constexpr size_t fewest = 16, fewestInOnePlace = 7;
    std::set<int> left = unexplained(camera, paths, taken, request);
    if (!camera.has() || left.size() < fewestInOnePlace) return {};
    const std::set<int> amidst = amidstOthers(camera, paths, left);
    const std::vector<Path> candidates = pathsWithIds(paths, {left.begin(), left.end()});
    std::vector<int> out = movingTogether(
        layOut(candidates, request.frames, request.width, request.height, 0, request.seed), camera, request.seed);
    // Near the corners a lens bends more than its model does, and all that is there goes astray together.
    const Eigen::Vector2d middle((request.width - 1) / 2.0, (request.height - 1) / 2.0);
    // What stands in the picture while the camera moves is a border, a logo or dust.
    std::set<int> unlikely;
    for (const Path& p : candidates) {
        const PathPoint& q = p.points[p.points.size() / 2];
        double extent = 0;
        for (const PathPoint& o : p.points) extent = std::max(extent, std::hypot(double(o.x - q.x), double(o.y - q.y)));
        const bool stands = extent < 2 * limits::lockedOffMove;
        if (stands || (Eigen::Vector2d(q.x, q.y) - middle).norm() > 0.8 * middle.norm()) unlikely.insert(p.id);
    }
    std::erase_if(out, [&](int id) { return !amidst.contains(id) || unlikely.contains(id); });
    if (out.size() >= fewest) return out;
    // Something small has few features; what goes astray by chance does not do so in one place.
    const auto clusters = clustersOf(paths, {out.begin(), out.end()}, 2 * spacingOf(paths, request));
    if (clusters.empty() || clusters.front().size() < fewestInOnePlace || clusters.front().size() * 4 < out.size() * 3)
        out.clear();
    return out;
}

std::vector<std::vector<int>> moverHints(const SolveResult& camera, const std::vector<Path>& paths,
                                         const std::vector<int>& taken, const SolveRequest& request) {
    constexpr size_t fewest = 4, most = 6;
    if (!camera.has() || camera.motion == Motion::lockedOff) return {};
    const std::set<int> left = unexplained(camera, paths, taken, request);
    const std::set<int> amidst = amidstOthers(camera, paths, left, 2);
    if (amidst.size() < fewest) return {};
    std::vector<std::vector<int>> out = clustersOf(paths, amidst, 2 * spacingOf(paths, request));
    std::erase_if(out, [](const auto& ids) { return ids.size() < fewest; });
    if (out.size() > most) out.resize(most);
    return out;
}

std::optional<MoverProposal> proposeMover(const SolveResult& camera, const std::vector<Path>& paths,
                                          const std::vector<int>& ids, const SolveRequest& request,
                                          Progress& progress) {
    const std::vector<Path> candidates = pathsWithIds(paths, ids);
    const std::vector<int> together = movingTogether(
        layOut(candidates, request.frames, request.width, request.height, 0, request.seed), camera, request.seed);
    if (int(together.size()) < fewestMoverPoints) return std::nullopt;
    return proposalFrom(camera, paths, candidates, together, request, progress);
}

std::vector<MoverProposal> proposeMovers(const SolveResult& camera, const std::vector<Path>& paths,
                                         const std::vector<int>& taken, const SolveRequest& request,
                                         Progress& progress) {
    std::vector<MoverProposal> out;
    if (!camera.has()) return out;
    std::set<int> left = unexplained(camera, paths, taken, request);
    for (int round = 0; round < 4 && int(left.size()) >= fewestMoverPoints; ++round) {
        progress.check();
        const std::vector<Path> candidates = pathsWithIds(paths, {left.begin(), left.end()});
        const Observations s = layOut(candidates, request.frames, request.width, request.height, 0, request.seed);
        // A camera that stands tells no lens to compare pairs by: all that moves is tried as one thing, and the solve
        // sets aside what goes its own way.
        const bool stands = camera.motion == Motion::lockedOff;
        const std::vector<int> together =
            stands ? std::vector<int>(left.begin(), left.end()) : movingTogether(s, camera, request.seed);
        if (int(together.size()) < fewestMoverPoints) break;
        // Where something is taken already it may be that very thing.
        const SolveResult* known = round == 0 && taken.empty() ? camera.takenForScene.get() : nullptr;
        std::optional<MoverProposal> p = proposalFrom(camera, paths, candidates, together, request, progress, known);
        if (!p && !stands) {
            // Paths that slide agree with nearly any motion by chance, and hide one: those among their like alone.
            const std::set<int> amidst = amidstOthers(camera, paths, left);
            std::vector<int> dense;
            for (const int id : together)
                if (amidst.contains(id)) dense.push_back(id);
            if (int(dense.size()) >= 2 * fewestMoverPoints)
                p = proposalFrom(camera, paths, candidates, dense, request, progress);
        }
        for (const int id : together) left.erase(id);
        if (p) out.push_back(std::move(*p));
    }
    std::stable_sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.ids.size() > b.ids.size(); });
    return out;
}

}  // namespace va
