// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/auto_level.h"

#include <algorithm>
#include <cmath>
#include <random>

namespace va {

std::optional<AutoLevel> autoLevel(const SolveResult& solve, uint64_t seed) {
    if (solve.motion != Motion::free || solve.points.size() < 12) return std::nullopt;
    Eigen::Vector3d up = Eigen::Vector3d::Zero(), middle = Eigen::Vector3d::Zero();
    int cameras = 0;
    for (const SolvedFrame& f : solve.frames) {
        if (!f.solved) continue;
        up += f.pose.worldFromCamera * Eigen::Vector3d::UnitY();
        middle += f.pose.position;
        ++cameras;
    }
    if (cameras == 0 || up.norm() < 1e-9) return std::nullopt;
    up.normalize();
    middle /= cameras;
    // Far points are known less well, and only near ones matter for a floor under the camera.
    std::vector<const SolvedPoint*> near;
    std::vector<double> depths;
    for (const auto& p : solve.points) depths.push_back((p.position - middle).norm());
    std::vector<double> sorted = depths;
    std::nth_element(sorted.begin(), sorted.begin() + std::ptrdiff_t(sorted.size() / 2), sorted.end());
    const double typical = sorted[sorted.size() / 2];
    for (size_t i = 0; i < solve.points.size(); ++i)
        if (depths[i] < 2 * typical && (solve.points[i].position - middle).dot(up) < 0)
            near.push_back(&solve.points[i]);
    if (near.size() < 8) return std::nullopt;
    const auto tolerance = [&](const SolvedPoint& p) { return 0.003 * typical + 0.004 * (p.position - middle).norm(); };

    std::mt19937_64 random(seed);
    double best = 0;
    std::optional<PlaneFit> bestPlane;
    for (int trial = 0; trial < 600; ++trial) {
        std::vector<Eigen::Vector3d> three;
        for (int k = 0; k < 3; ++k) three.push_back(near[size_t(random() % near.size())]->position);
        auto plane = fitPlane(three);
        if (!plane) continue;
        if (plane->normal.dot(up) < 0) plane->normal = -plane->normal, plane->offset = -plane->offset;
        const double lean = plane->normal.dot(up);
        if (lean < 0.7 || plane->distance(middle) <= 0) continue;
        int on = 0, below = 0;
        Eigen::Vector3d sum = Eigen::Vector3d::Zero();
        double squares = 0;
        for (const auto* p : near) {
            const double d = plane->distance(p->position), t = tolerance(*p);
            if (std::fabs(d) < t) ++on, sum += p->position, squares += p->position.squaredNorm();
            else if (d < -2 * t) ++below;
        }
        if (on < 8) continue;
        const double width = std::sqrt(std::max(0.0, squares / on - (sum / on).squaredNorm())) / typical;
        // Things stand on a floor, not under it.
        const double worth = (on - 1.5 * below) * std::min(1.0, width) * lean;
        if (worth > best) best = worth, bestPlane = plane;
    }
    if (!bestPlane) return std::nullopt;
    AutoLevel out;
    for (int round = 0; round < 3; ++round) {
        std::vector<Eigen::Vector3d> on;
        out.paths.clear();
        for (const auto* p : near)
            if (std::fabs(bestPlane->distance(p->position)) < tolerance(*p))
                on.push_back(p->position), out.paths.push_back(p->pathId);
        auto better = fitPlane(on);
        if (!better) return std::nullopt;
        if (better->normal.dot(up) < 0) better->normal = -better->normal, better->offset = -better->offset;
        bestPlane = better;
    }
    if (out.paths.size() < 8) return std::nullopt;
    std::sort(out.paths.begin(), out.paths.end());
    out.paths.erase(std::unique(out.paths.begin(), out.paths.end()), out.paths.end());
    out.floor = *bestPlane;
    return out;
}

}  // namespace va
