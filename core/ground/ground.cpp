// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/ground.h"

#include <cmath>
#include <map>

#include "base/text.h"
#include "ground/auto_level.h"

namespace va {
namespace {

Eigen::Quaterniond aroundY(const Eigen::Vector3d& forwardToZ) {
    return Eigen::Quaterniond(Eigen::AngleAxisd(-std::atan2(forwardToZ.x(), forwardToZ.z()), Eigen::Vector3d::UnitY()));
}

}  // namespace

GroundFit buildGround(const SolveResult& solve, const GroundSpec& spec) {
    GroundFit fit;
    if (solve.motion != Motion::free) return fit;
    if (solve.measured.placed && spec.levelPaths.empty() && !spec.originPath && !spec.zAlong) {
        // Known positions say where the world is.
        fit.worldFromSolve = solve.measured.fromSolve;
        fit.level = fit.metric = true;
        return fit;
    }
    std::map<int, Eigen::Vector3d> positionOf;
    for (const SolvedPoint& p : solve.points) positionOf.emplace(p.pathId, p.position);
    const auto say = [&](const std::string& sentence) { fit.trouble += (fit.trouble.empty() ? "" : " ") + sentence; };

    std::optional<PlaneFit> floor;
    if (spec.levelPaths.empty()) {
        if (const auto found = autoLevel(solve)) {
            floor = found->floor;
            fit.usedPaths = found->paths;
        } else {
            say(text("No floor was found: pick three or more points on it."));
        }
    } else {
        std::vector<Eigen::Vector3d> on;
        for (int id : spec.levelPaths)
            if (const auto p = positionOf.find(id); p != positionOf.end())
                on.push_back(p->second), fit.usedPaths.push_back(id);
        floor = fitPlane(on);
        if (!floor) {
            say(on.size() < 3
                    ? text("Fewer than three of the points chosen for the floor are in this solve: pick others.")
                    : text("The points chosen for the floor lie on one line, which leaves its tilt open: add one "
                           "beside the line."));
            fit.usedPaths.clear();
        }
    }
    Eigen::Vector3d cameras = Eigen::Vector3d::Zero(), ahead = Eigen::Vector3d::Zero();
    int count = 0;
    for (const SolvedFrame& f : solve.frames) {
        if (!f.solved) continue;
        cameras += f.pose.position;
        if (count++ == 0) ahead = f.pose.worldFromCamera * Eigen::Vector3d(0, 0, -1);
    }
    if (count == 0) return fit;
    cameras /= count;

    Similarity world;
    if (floor) {
        if (floor->distance(cameras) < 0) floor->normal = -floor->normal, floor->offset = -floor->offset;
        world.rotation = Eigen::Quaterniond::FromTwoVectors(floor->normal, Eigen::Vector3d::UnitY());
        fit.level = true;
        fit.rms = floor->rms;
    }
    // Facing: as chosen, else the first camera looks along −Z.
    Eigen::Vector3d z = -(world.rotation * ahead);
    if (spec.zAlong) {
        const auto a = positionOf.find(spec.zAlong->from), b = positionOf.find(spec.zAlong->to);
        if (a != positionOf.end() && b != positionOf.end()) z = world.rotation * (b->second - a->second);
        else say(text("A point that the Z axis was laid along is not in this solve: pick two others."));
    }
    if (std::hypot(z.x(), z.z()) > 1e-9) world.rotation = (aroundY(z) * world.rotation).normalized();

    Eigen::Vector3d origin = Eigen::Vector3d::Zero();
    if (floor) {
        int on = 0;
        for (int id : fit.usedPaths) origin += positionOf.at(id), ++on;
        if (on > 0) origin /= on;
        origin -= floor->distance(origin) * floor->normal;
    }
    if (spec.originPath) {
        // The floor stays at height zero: a point picked a hair above it, or on a thing that stands there, gives the
        // position below it.
        if (const auto o = positionOf.find(*spec.originPath); o != positionOf.end())
            origin = floor ? o->second - floor->distance(o->second) * floor->normal : o->second;
        else say(text("The point chosen as origin is not in this solve: pick another."));
    }
    if (spec.length) {
        const auto a = positionOf.find(spec.length->from), b = positionOf.find(spec.length->to);
        const double distance = a != positionOf.end() && b != positionOf.end() ? (a->second - b->second).norm() : 0;
        if (distance > 1e-12 && spec.length->metres > 0) {
            world.scale = spec.length->metres / distance;
            fit.metric = true;
        } else {
            say(
                text("The length can't be used: its two points are not both in this solve, or are the same. Pick two "
                     "others."));
        }
    }
    if (!spec.length && solve.measured.scaled) {
        world.scale = solve.measured.fromSolve.scale;
        fit.metric = true;
    }
    world.translation = -(world.scale * (world.rotation * origin));
    fit.worldFromSolve = world;
    fit.rms *= world.scale;
    return fit;
}

}  // namespace va
