// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/mover_work.h"

#include <algorithm>

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
    Shot out = shot;
    if (!shot.solve->has()) return out;
    const SolveRequest request = solveRequestFor(shot);
    bool changed = false;
    for (Mover& m : out.movers) {
        const uint64_t from = fingerprintOfMoverInput(shot, m);
        if (m.solveFrom == from) continue;
        m.solve = std::make_shared<SolveResult>(solveMover(*shot.solve, *shot.paths, m.paths, request, progress));
        m.solveFrom = from;
        changed = true;
    }
    if (changed) takeLensOfMover(out);
    return out;
}

Shot withMoversProposed(const Shot& shot, Progress& progress) {
    std::vector<int> taken;
    for (const Mover& m : shot.movers) taken.insert(taken.end(), m.paths.begin(), m.paths.end());
    Shot out = shot;
    for (const MoverProposal& p : proposeMovers(*shot.solve, *shot.paths, taken, solveRequestFor(shot), progress)) {
        // Rigid things fit about as well as the scene does; what fits worse only looks like one.
        const bool likely = shot.solve->rmsPx <= 0 || p.solve.rmsPx <= 2 * shot.solve->rmsPx;
        if (!likely) continue;
        const bool fresh = out.solveFrom == fingerprintOfSolveInput(out);
        const Shot with = withMoversSolved(withMover(out, p.ids), progress);
        if (with.movers.back().solve->motion != Motion::free) continue;
        out = with;
        // Its paths were not used by the camera's solve anyway: that is not stale for it.
        if (fresh) out.solveFrom = fingerprintOfSolveInput(out);
    }
    return withMoversSolved(out, progress);
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
