// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/mover_fit.h"

#include <algorithm>
#include <set>

#include "solve/incremental/observations.h"
#include "solve/minimal/triangulate.h"

namespace va {

std::vector<Path> pathsWithIds(const std::vector<Path>& paths, const std::vector<int>& ids) {
    const std::set<int> wanted(ids.begin(), ids.end());
    std::vector<Path> out;
    for (const Path& p : paths)
        if (wanted.contains(p.id)) out.push_back(p);
    return out;
}

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

namespace {

/// Whether some position in the scene explains a path, however short it is and however unsure the position: what moves
/// by itself for so short a time that this holds tells nothing of its motion.
bool fitsSomewhere(const Path& path, const SolveResult& camera, double close) {
    const auto fit = fitOf(path, camera, camera, close);
    return fit && fit->share >= 0.9;
}

}  // namespace

std::vector<int> standingStill(const SolveResult& camera, const std::vector<Path>& paths, double close) {
    std::vector<int> out;
    for (const Path& p : paths)
        if (isFar(p, camera, close) || (camera.motion == Motion::free && fitsSomewhere(p, camera, close)))
            out.push_back(p.id);
    return out;
}

}  // namespace va
