// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/mover.h"
#include "base/text.h"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>

#include "solve/incremental/observations.h"
#include "solve/mover_fit.h"
#include "solve/mover_steady.h"
#include "solve/solver.h"

namespace va {
namespace {

/// Three points give a pose in four ways, four in one: the fifth says whether it is right.
constexpr int fewestHolding = 5;

/// Mean over a mover's paths of what its solve leaves of them: squared error in px, 1 for a path without a point, more
/// for frames without a pose.
double unexplainedShare(const SolveResult& mover, size_t paths) {
    if (mover.motion != Motion::free || paths == 0) return INFINITY;
    double sum = double(paths - std::min(paths, mover.points.size()));
    for (const SolvedPoint& p : mover.points) sum += std::min(1.0, p.rmsPx * p.rmsPx);
    const double unsolved = 1 - double(mover.solvedCount()) / double(std::max<size_t>(1, mover.frames.size()));
    return sum / double(paths) + unsolved;
}

/// Whether half of the paths have a point, in nearly all frames, with this fit.
bool explains(const SolveResult& mover, size_t paths, double rmsPx) {
    return mover.motion == Motion::free && mover.rmsPx <= rmsPx && mover.points.size() * 2 >= paths &&
           mover.solvedCount() * 10 >= int(mover.frames.size()) * 9;
}

}  // namespace

Eigen::Vector3d moverMiddle(const SolveResult& mover) {
    Eigen::Vector3d sum = Eigen::Vector3d::Zero();
    for (const SolvedPoint& p : mover.points) sum += p.position;
    return mover.points.empty() ? sum : Eigen::Vector3d(sum / double(mover.points.size()));
}

double goodMoverFit(const SolveResult& camera, const SolveRequest& request) {
    return 1.6 * (camera.rmsPx > 0 ? camera.rmsPx : 0.15 * std::max(1.0, request.width / 1280.0));
}

SolveRequest moverRequest(const SolveResult& camera, const SolveRequest& request) {
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
    return own;
}

SolveResult solveMover(const SolveResult& camera, const std::vector<Path>& paths, const std::vector<int>& ids,
                       const SolveRequest& request, Progress& progress, const SolveResult* from, int draws) {
    SolveRequest own = moverRequest(camera, request);
    const std::vector<Path> chosen = pathsWithIds(paths, ids);
    // Something small looks nearly the same turned the other way, its depths reversed: which of the two a solve ends in
    // is drawn, and an earlier one may stand in the wrong one. One that fits as the scene does is right.
    const double good = goodMoverFit(camera, request);
    SolveResult best;
    double left = INFINITY;
    const auto compare = [&](SolveResult other) {
        const double has = unexplainedShare(other, chosen.size());
        const bool same = std::fabs(has - left) < 0.02 * left;
        if (has < left) best = std::move(other), left = has;
        return same;
    };
    if (draws > 0) compare(solveShot(chosen, own, progress));
    if (from && from->motion == Motion::free) compare(updateSolve(chosen, own, *from, progress));
    for (int draw = 1; draw < draws && !explains(best, chosen.size(), good); ++draw) {
        own.seed = request.seed + 1009 * uint64_t(draw);
        if (compare(solveShot(chosen, own, progress))) break;  // twice the same
    }
    return withSteadyTurn(best, camera, chosen);
}

SolveResult withHeldFrames(SolveResult mover) {
    for (SolvedFrame& f : mover.frames)
        if (f.solved && f.origin == PoseOrigin::solved && f.observations < fewestHolding) {
            const int frame = f.frame;
            f = SolvedFrame();
            f.frame = frame;
        }
    return mover;
}

bool liesOnPlane(const SolveResult& mover) {
    const Eigen::Vector3d middle = moverMiddle(mover);
    Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
    for (const SolvedPoint& p : mover.points) spread += (p.position - middle) * (p.position - middle).transpose();
    const Eigen::Vector3d axes = Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d>(spread).eigenvalues();
    return !(axes[2] > 0) || std::sqrt(std::max(0.0, axes[0] / axes[2])) < 0.03;
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
        if (paths < fewestMoverPoints)
            return text(paths == 1
                            ? "It has %d feature; %d or more that are seen together are needed. Add some on it."
                            : "It has %d features; %d or more that are seen together are needed. Add some on it.",
                        paths, fewestMoverPoints);
        return mover.trouble == SolveTrouble::noStart || mover.trouble == SolveTrouble::tooFewPaths
                   ? text(
                         "Too few of its features are seen together for long enough, or they do not move as one rigid "
                         "thing. Add features on it, or take away those that are not on it.")
                   : text(
                         "It shows no depth of its own: it only slides past like a flat picture. Use a longer stretch "
                         "in which it turns or comes nearer.");
    }
    if (liesOnPlane(mover))
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

}  // namespace va
