// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/mover_work.h"

#include <algorithm>
#include <array>
#include <map>
#include <set>

#include "base/error.h"
#include "base/text.h"
#include "solve/incremental/observations.h"
#include "solve/mover.h"
#include "workflow/match_shot.h"
#include "workflow/stale.h"

namespace va {
namespace {

int freeMoverId(const Shot& s) {
    int id = 1;
    for (const Mover& m : s.movers) id = std::max(id, m.id + 1);
    return id;
}

const SolvedPoint* pointOf(const SolveResult& solve, int path) {
    for (const SolvedPoint& p : solve.points)
        if (p.pathId == path) return &p;
    return nullptr;
}

/// A camera that stands tells nothing of its lens; what moves before it does: the lens of the mover that is surest of
/// it becomes the camera's.
void takeLensOfMover(Shot& shot) {
    if (shot.solve->motion != Motion::lockedOff || shot.priors.focal == Known::known) return;
    const SolveResult* best = nullptr;
    double sure = 0.1;
    for (const Mover& m : shot.movers)
        for (const LensNumber& n : m.solve->lensNumbers)
            if (m.solve->motion == Motion::free && n.name == "focal" && n.value > 0 && n.sigma / n.value < sure)
                sure = n.sigma / n.value, best = m.solve.get();
    if (!best) return;
    SolveResult camera = *shot.solve;
    camera.lens = best->lens;
    camera.lensNumbers = best->lensNumbers;
    camera.lensMapSigmaPx = best->lensMapSigmaPx;
    for (SolvedFrame& f : camera.frames) f.focalPx = best->lens.focalPx;
    shot.solve = std::make_shared<SolveResult>(std::move(camera));
    for (Mover& m : shot.movers)
        if (m.solveFrom != 0) m.solveFrom = fingerprintOfMoverInput(shot, m);
}

}  // namespace

Shot withLensOfMovers(const Shot& shot) {
    Shot out = shot;
    takeLensOfMover(out);
    return out;
}

Shot withMover(const Shot& shot, const std::vector<int>& paths, const std::string& name) {
    Mover m;
    m.id = freeMoverId(shot);
    m.name = name.empty() ? text("Mover %d", m.id) : name;
    for (const int id : paths)
        if (shot.path(id) && !shot.moverOfPath(id)) m.paths.push_back(id);
    std::sort(m.paths.begin(), m.paths.end());
    if (m.paths.empty()) throw InputError(text("Select features on the thing that moves first."));
    Shot out = shot;
    out.movers.push_back(std::move(m));
    return out;
}

Shot withMoversSolved(const Shot& shot, Progress& progress) {
    Shot out = withMoversSolvedWhole(shot, progress);
    for (Mover& m : out.movers)
        if (const Mover* had = shot.mover(m.id); !had || had->solve != m.solve) keepHeldFrames(m);
    return out;
}

void keepHeldFrames(Mover& mover) {
    if (mover.solve->motion == Motion::free) mover.solve = std::make_shared<SolveResult>(withHeldFrames(*mover.solve));
}

Shot withMoversSolvedWhole(const Shot& shot, Progress& progress) {
    Shot out = shot;
    if (!shot.solve->has()) return out;
    const SolveRequest request = solveRequestFor(shot);
    bool changed = false;
    for (Mover& m : out.movers) {
        const uint64_t from = fingerprintOfMoverInput(shot, m);
        if (m.solveFrom == from) continue;
        m.solve = std::make_shared<SolveResult>(
            solveMover(*shot.solve, *shot.paths, m.paths, request, progress, m.solve.get()));
        m.solveFrom = from;
        changed = true;
    }
    if (changed) takeLensOfMover(out);
    return out;
}

std::vector<MotionShare> motionShares(const Shot& shot) {
    constexpr int columns = 16, rows = 9;
    constexpr size_t looked = 24;  // frames, evenly over the range
    std::vector<int> frames;
    const std::vector<int> all = shot.frames();
    for (size_t i = 0; i < std::min(looked, all.size()); ++i)
        frames.push_back(all[i * all.size() / std::min(looked, all.size())]);
    std::set<int> left;  // by the scene's solve
    for (const SolveOutlier& o : shot.solve->outliers)
        if (o.whole) left.insert(o.pathId);
    std::vector<MotionShare> out(shot.movers.size() + 1);
    // Features of each, by frame and cell.
    std::map<int, std::vector<std::array<int, columns * rows>>> counts;
    for (const Path& p : *shot.paths) {
        const Mover* m = shot.moverOfPath(p.id);
        if (p.setAside || (!m && left.contains(p.id))) continue;
        const size_t group = m ? size_t(m - shot.movers.data()) + 1 : 0;
        for (const PathPoint& q : p.points) {
            if (!q.counts() || !std::binary_search(frames.begin(), frames.end(), q.frame)) continue;
            auto& at = counts[q.frame];
            at.resize(out.size());
            const int x = std::clamp(int(q.x * columns / std::max(1, shot.plate.width)), 0, columns - 1),
                      y = std::clamp(int(q.y * rows / std::max(1, shot.plate.height)), 0, rows - 1);
            ++at[group][size_t(y * columns + x)];
        }
    }
    for (const int f : frames) {
        const auto at = counts.find(f);
        if (at == counts.end()) continue;
        for (size_t cell = 0; cell < columns * rows; ++cell) {
            size_t most = 0;
            for (size_t g = 1; g < out.size(); ++g)
                if (at->second[g][cell] > at->second[most][cell]) most = g;
            if (at->second[most][cell] > 0) out[most].covered += 1.0 / (columns * rows * double(frames.size()));
        }
    }
    for (size_t m = 0; m < shot.movers.size(); ++m) {
        const SolveResult& solve = *shot.movers[m].solve;
        std::vector<Eigen::Quaterniond> turns;
        for (const int f : frames) {
            const auto pose = moverPose(*shot.solve, solve, f, 1);
            if (!pose) continue;
            for (const Eigen::Quaterniond& other : turns)
                out[m + 1].turnedDegrees =
                    std::max(out[m + 1].turnedDegrees, pose->worldFromCamera.angularDistance(other) * 180 / M_PI);
            turns.push_back(pose->worldFromCamera);
        }
    }
    return out;
}

Shot withSceneSwapped(const Shot& shot, int mover) {
    const Mover* found = shot.mover(mover);
    if (!found) throw InputError(text("There is no mover %d.", mover));
    const std::vector<MotionShare> shares = motionShares(shot);
    const auto at = size_t(found - shot.movers.data());
    Shot out = shot;
    Mover scene = *found;
    std::set<int> left;
    for (const SolveOutlier& o : shot.solve->outliers)
        if (o.whole) left.insert(o.pathId);
    Mover surroundings;
    surroundings.id = mover;
    surroundings.name = text("Surroundings");
    for (const Path& p : *shot.paths)
        if (!p.setAside && !shot.moverOfPath(p.id) && !left.contains(p.id)) surroundings.paths.push_back(p.id);
    std::sort(surroundings.paths.begin(), surroundings.paths.end());
    out.movers[at] = std::move(surroundings);
    if (out.movers[at].paths.empty()) out.movers.erase(out.movers.begin() + std::ptrdiff_t(at));
    for (Mover& m : out.movers) m.solveFrom = 0;
    out.choices.thing = shares[at + 1].covered < shares[0].covered;
    out.choices.move = MoveChoice::automatic;
    if (scene.solve->motion != Motion::free) return withGround(out, out.groundSpec);
    out.solve = scene.solve;
    out.solveFrom = fingerprintOfSolveInput(out);
    return withGround(out, out.groundSpec);
}

double moverScale(const Shot& shot, const Mover& m, bool* sure) {
    if (sure) *sure = true;
    const Similarity& world = shot.ground->worldFromSolve;
    if (m.scaleBy == MoverScale::given && m.size > 0) return m.size;
    if (m.scaleBy == MoverScale::distance && m.metres > 0) {
        const SolvedPoint *a = pointOf(*m.solve, m.from), *b = pointOf(*m.solve, m.to);
        const double length = a && b ? (a->position - b->position).norm() : 0;
        if (length > 0) return m.metres / length / world.scale;
    }
    if (m.scaleBy == MoverScale::ground && shot.ground->level) {
        const Eigen::Vector3d up = world.rotation.conjugate() * Eigen::Vector3d::UnitY();
        const double at = up.dot(world.inverse().point(Eigen::Vector3d::Zero()));
        if (const auto scale = scaleOnGround(*shot.solve, *m.solve, up, at)) return *scale;
    }
    if (sure) *sure = false;
    // The camera's space has its middle ten units away, and so has the mover's.
    return 1;
}

std::optional<CameraPose> moverWorldPose(const Shot& shot, const Mover& m, int frame) {
    const auto pose = moverPose(*shot.solve, *m.solve, frame, moverScale(shot, m));
    if (!pose) return std::nullopt;
    return shot.ground->worldFromSolve.pose(*pose);
}

std::vector<std::pair<int, Eigen::Vector3d>> moverPoints(const Shot& shot, const Mover& m) {
    const double scale = moverScale(shot, m) * shot.ground->worldFromSolve.scale;
    const Eigen::Vector3d middle = moverMiddle(*m.solve);
    std::vector<std::pair<int, Eigen::Vector3d>> out;
    for (const SolvedPoint& p : m.solve->points) out.emplace_back(p.pathId, scale * (p.position - middle));
    return out;
}

std::string moverVerdict(const Shot& shot, const Mover& m) {
    if (m.solveFrom == 0) return text("%s: %zu features, not solved yet.", m.name.c_str(), m.paths.size());
    const std::string doubt = moverDoubt(*m.solve, int(m.paths.size()));
    if (m.solve->motion != Motion::free) return m.name + ": " + doubt;
    bool sure = true;
    (void)moverScale(shot, m, &sure);
    std::string out = text("%s: %d of %zu frames, %zu points, fit %.2f px", m.name.c_str(), m.solve->solvedCount(),
                           m.solve->frames.size(), m.solve->points.size(), m.solve->rmsPx);
    if (!sure) out += text("; its size is not known: give a distance on it, or level the ground it stands on");
    else if (m.scaleBy == MoverScale::ground) out += text("; its lowest point is taken to stand on the ground");
    return out + (doubt.empty() ? "." : ". " + doubt);
}

}  // namespace va
