// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/mover.h"
#include "base/text.h"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <map>
#include <optional>
#include <set>

#include "solve/incremental/observations.h"
#include "solve/incremental/thresholds.h"
#include "solve/minimal/essential.h"
#include "solve/minimal/triangulate.h"
#include "solve/solver.h"

namespace va {
namespace {

std::vector<Path> pathsOf(const std::vector<Path>& paths, const std::vector<int>& ids) {
    const std::set<int> wanted(ids.begin(), ids.end());
    std::vector<Path> out;
    for (const Path& p : paths)
        if (wanted.contains(p.id)) out.push_back(p);
    return out;
}

/// Depth of the flattest direction of the points, as a share of their extent.
double thickness(const SolveResult& mover) {
    const Eigen::Vector3d middle = moverMiddle(mover);
    Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
    for (const SolvedPoint& p : mover.points) spread += (p.position - middle) * (p.position - middle).transpose();
    const Eigen::Vector3d axes = Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d>(spread).eigenvalues();
    return axes[2] > 0 ? std::sqrt(std::max(0.0, axes[0] / axes[2])) : 0;
}

constexpr int fewestPoints = 8;

/// Whether a path goes where something at infinity would go: it was set aside because it has no depth, not because it
/// moves.
bool isFar(const Path& path, const SolveResult& camera, double close) {
    std::vector<std::pair<const SolvedFrame*, Eigen::Vector2d>> seen;
    Eigen::Vector3d mean = Eigen::Vector3d::Zero();
    for (const PathPoint& p : path.points) {
        const SolvedFrame* f = camera.at(p.frame);
        if (!f || !f->solved || !p.counts()) continue;
        if (const auto ray = worldRay(f->pose, camera.intrinsics(p.frame), {p.x, p.y})) {
            mean += *ray;
            seen.emplace_back(f, Eigen::Vector2d(p.x, p.y));
        }
    }
    if (seen.size() < 2) return true;
    std::vector<double> off;
    for (const auto& [f, pixel] : seen) {
        const auto q = project(f->pose, camera.intrinsics(f->frame), f->pose.position + mean);
        off.push_back(q ? (*q - pixel).norm() : 1e6);
    }
    return median(std::move(off)) < close;
}

/// How the best position for a path agrees with it.
struct PositionFit {
    size_t frames = 0;
    double angle = 0;  ///< between rays, radians
    double share = 0;  ///< of frames in which it is seen within what was asked
};
/// By the poses of one solve and the lens of another. Nothing where there is no such position.
std::optional<PositionFit> fitOf(const Path& path, const SolveResult& poses, const SolveResult& lenses, double close) {
    std::vector<View> views;
    std::vector<std::pair<int, Eigen::Vector2d>> pixels;
    std::vector<Eigen::Vector2d> undistorted;
    for (const PathPoint& p : path.points) {
        const SolvedFrame* f = poses.at(p.frame);
        const auto n =
            f && f->solved && p.counts() ? lenses.intrinsics(p.frame).normalisedFromPixel({p.x, p.y}) : std::nullopt;
        if (!n) continue;
        views.push_back(viewFromPose(f->pose));
        pixels.emplace_back(p.frame, Eigen::Vector2d(p.x, p.y));
        undistorted.push_back(*n);
    }
    if (views.size() < 2) return std::nullopt;
    std::vector<Observation> seen;
    for (size_t i = 0; i < views.size(); ++i) seen.push_back({&views[i], undistorted[i], 1});
    const auto placed = triangulate(seen);
    if (!placed) return std::nullopt;
    int fits = 0;
    for (size_t i = 0; i < views.size(); ++i) {
        const auto q = project(views[i], lenses.intrinsics(pixels[i].first), placed->position);
        fits += q && (*q - pixels[i].second).norm() < close;
    }
    return PositionFit{views.size(), placed->angle, double(fits) / double(views.size())};
}

/// Whether some position in the scene explains a path, however short it is and however unsure the position: what moves
/// by itself for so short a time that this holds tells nothing of its motion.
bool fitsSomewhere(const Path& path, const SolveResult& camera, double close) {
    const auto fit = fitOf(path, camera, camera, close);
    return fit && fit->share >= 0.9;
}

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
        if (int(path.size()) < fewestPoints) continue;
        SamplingOptions options;
        options.threshold = 0.8 * std::max(1.0, s.width / 1280.0) / camera.lens.focalPx;
        options.trials = 400;
        options.seed = seed + uint64_t(a.value());
        options.polished = false;
        const auto e = robustEssential(from, to, options);
        if (!e.found || e.agreeing < fewestPoints) continue;
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
std::set<int> amidstOthers(const SolveResult& camera, const std::vector<Path>& paths, const std::set<int>& ids) {
    constexpr size_t neighbours = 6, mostly = 4;
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

/// Solves paths that move together, without those that stand apart, and with those that turn out to belong to them.
/// Nothing where they are no rigid thing.
std::optional<MoverProposal> proposalFrom(const SolveResult& camera, const std::vector<Path>& paths,
                                          const std::vector<Path>& candidates, const std::vector<int>& together,
                                          const SolveRequest& request, Progress& progress) {
    // Something of the scene, or of another thing, may agree by chance: it stands apart.
    const auto coreSolved = [&](const std::vector<int>& ids) {
        SolveResult solve = solveMover(camera, paths, ids, request, progress);
        for (int again = 0; again < 2 && solve.motion == Motion::free; ++again) {
            const std::vector<int> core = coreOf(solve);
            if (core.size() == solve.points.size() || int(core.size()) < fewestPoints) break;
            solve = solveMover(camera, paths, core, request, progress);
        }
        return solve;
    };
    MoverProposal p;
    p.solve = coreSolved(together);
    if (p.solve.motion == Motion::free) {
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
    if (p.solve.motion != Motion::free || int(p.ids.size()) < fewestPoints || p.solve.rmsPx > 0.7 * unit ||
        p.solve.solvedCount() < 8)
        return std::nullopt;
    std::sort(p.ids.begin(), p.ids.end());
    return p;
}

}  // namespace

Eigen::Vector3d moverMiddle(const SolveResult& mover) {
    Eigen::Vector3d sum = Eigen::Vector3d::Zero();
    for (const SolvedPoint& p : mover.points) sum += p.position;
    return mover.points.empty() ? sum : Eigen::Vector3d(sum / double(mover.points.size()));
}

SolveResult solveMover(const SolveResult& camera, const std::vector<Path>& paths, const std::vector<int>& ids,
                       const SolveRequest& request, Progress& progress) {
    SolveRequest own = request;
    own.move = MoveChoice::free;
    own.zoom = ZoomChoice::constant;
    own.fewPaths = true;
    own.measures.clear();
    own.readoutKnown = Known::known;
    own.readout = camera.readout;
    if (camera.motion == Motion::free || camera.motion == Motion::nodalPan) {
        own.focal = own.distortion = Known::known;
        own.focalPx = camera.lens.focalPx;
        own.lens = camera.lens.lens;
        own.principal = Known::known;
        own.principalOffset =
            camera.lens.principalPoint - Eigen::Vector2d((request.width - 1) / 2.0, (request.height - 1) / 2.0);
        if (camera.zooms)
            for (const int f : request.frames) own.focalByFrame.set(f, camera.intrinsics(f).focalPx);
    }
    return solveShot(pathsOf(paths, ids), own, progress);
}

std::optional<CameraPose> moverPose(const CameraTrack& camera, const SolveResult& mover, int frame, double scale) {
    const SolvedFrame *c = camera.at(frame), *m = mover.at(frame);
    if (!c || !m || !c->solved || !m->solved || mover.motion != Motion::free) return std::nullopt;
    const Eigen::Quaterniond worldFromMover = c->pose.worldFromCamera * m->pose.worldFromCamera.conjugate();
    return CameraPose{c->pose.position + scale * (worldFromMover * (moverMiddle(mover) - m->pose.position)),
                      worldFromMover.normalized()};
}

std::string moverDoubt(const SolveResult& mover, int paths) {
    if (mover.motion != Motion::free) {
        if (paths < fewestPoints)
            return text(paths == 1
                            ? "It has %d feature; %d or more that are seen together are needed. Add some on it."
                            : "It has %d features; %d or more that are seen together are needed. Add some on it.",
                        paths, fewestPoints);
        return mover.trouble == SolveTrouble::noStart || mover.trouble == SolveTrouble::tooFewPaths
                   ? text(
                         "Too few of its features are seen together for long enough, or they do not move as one rigid "
                         "thing. Add features on it, or take away those that are not on it.")
                   : text(
                         "It shows no depth of its own: it only slides past like a flat picture. Use a longer stretch "
                         "in which it turns or comes nearer.");
    }
    const double thin = thickness(mover);
    if (thin < 0.03)
        return text(
            "Its %zu points lie on one plane, so its rotation can flip between two answers. Add a feature that stands "
            "out of the plane.",
            mover.points.size());
    if (mover.solvedCount() < int(mover.frames.size()))
        return text("%d of %zu frames see enough of it.", mover.solvedCount(), mover.frames.size());
    return "";
}

std::optional<double> scaleOnGround(const SolveResult& camera, const SolveResult& mover, const Eigen::Vector3d& up,
                                    double groundAt) {
    std::vector<double> all;
    for (const SolvedFrame& f : mover.frames) {
        const SolvedFrame* c = camera.at(f.frame);
        if (!f.solved || !c || !c->solved) continue;
        const Eigen::Quaterniond rotation = c->pose.worldFromCamera * f.pose.worldFromCamera.conjugate();
        const double above = up.dot(c->pose.position) - groundAt;
        std::vector<double> scales;
        for (const SolvedPoint& p : mover.points) {
            const double falls = -up.dot(rotation * (p.position - f.pose.position));
            if (falls > 1e-9 && above > 0) scales.push_back(above / falls);
        }
        if (scales.size() * 2 < mover.points.size()) continue;
        // Not the very lowest: one bad point must not sink the thing.
        std::nth_element(scales.begin(), scales.begin() + std::ptrdiff_t(scales.size() / 20), scales.end());
        all.push_back(scales[scales.size() / 20]);
    }
    if (all.empty()) return std::nullopt;
    return median(std::move(all));
}

std::vector<int> standingStill(const SolveResult& camera, const std::vector<Path>& paths, double close) {
    std::vector<int> out;
    for (const Path& p : paths)
        if (isFar(p, camera, close) || (camera.motion == Motion::free && fitsSomewhere(p, camera, close)))
            out.push_back(p.id);
    return out;
}

std::vector<int> pathsMovingTogether(const SolveResult& camera, const std::vector<Path>& paths,
                                     const std::vector<int>& taken, const SolveRequest& request) {
    constexpr int fewest = 16;
    std::set<int> left = unexplained(camera, paths, taken, request);
    if (!camera.has() || int(left.size()) < fewest) return {};
    const std::set<int> amidst = amidstOthers(camera, paths, left);
    const std::vector<Path> candidates = pathsOf(paths, {left.begin(), left.end()});
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
    if (int(out.size()) < fewest) out.clear();
    return out;
}

std::vector<MoverProposal> proposeMovers(const SolveResult& camera, const std::vector<Path>& paths,
                                         const std::vector<int>& taken, const SolveRequest& request,
                                         Progress& progress) {
    std::vector<MoverProposal> out;
    if (!camera.has()) return out;
    std::set<int> left = unexplained(camera, paths, taken, request);
    for (int round = 0; round < 4 && int(left.size()) >= fewestPoints; ++round) {
        progress.check();
        const std::vector<Path> candidates = pathsOf(paths, {left.begin(), left.end()});
        const Observations s = layOut(candidates, request.frames, request.width, request.height, 0, request.seed);
        // A camera that stands tells no lens to compare pairs by: all that moves is tried as one thing, and the solve
        // sets aside what goes its own way.
        const bool stands = camera.motion == Motion::lockedOff;
        const std::vector<int> together =
            stands ? std::vector<int>(left.begin(), left.end()) : movingTogether(s, camera, request.seed);
        if (int(together.size()) < fewestPoints) break;
        std::optional<MoverProposal> p = proposalFrom(camera, paths, candidates, together, request, progress);
        if (!p && !stands) {
            // Paths that slide agree with nearly any motion by chance, and hide one: those among their like alone.
            const std::set<int> amidst = amidstOthers(camera, paths, left);
            std::vector<int> dense;
            for (const int id : together)
                if (amidst.contains(id)) dense.push_back(id);
            if (int(dense.size()) >= 2 * fewestPoints)
                p = proposalFrom(camera, paths, candidates, dense, request, progress);
        }
        for (const int id : together) left.erase(id);
        if (p) out.push_back(std::move(*p));
    }
    std::stable_sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.ids.size() > b.ids.size(); });
    return out;
}

}  // namespace va
