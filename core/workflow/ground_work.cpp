// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/ground_work.h"

#include <algorithm>
#include <filesystem>
#include <map>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/text.h"
#include "exchange/camera_json.h"
#include "lens/edge_chain.h"
#include "shot/shot_file.h"
#include "workflow/upright_edges.h"

namespace va {

PictureLine lineAlongEdge(const Shot& shot, const PictureLine& stroke) {
    if (!shot.hasPlate() || !shot.plate.exists(stroke.frame))
        throw InputError(text("There is no picture of frame %d to draw in.", stroke.frame));
    const EdgeChain chain =
        edgeAlong(openPlate(shot.plateSpec, shot.overrides)->luma(stroke.frame), stroke.a, stroke.b);
    if (chain.points.size() < 8) return stroke;
    const auto lens = shot.lensAt(stroke.frame);
    if (!lens) return stroke;
    return straightLine(chain.points, stroke.frame, *lens).value_or(stroke);
}

std::vector<SharedPoint> sharedPoints(const Shot& shot, const std::string& file) {
    std::map<std::string, Eigen::Vector3d> there;
    if (std::filesystem::path(file).extension() == ".json") {
        const SceneExport scene = readCameraJson(readFile(file), file);
        for (const auto& p : scene.points)
            if (!p.name.empty()) there[p.name] = p.position;
    } else {
        const Shot other = readShot(file);
        if (!other.ground->level)
            throw InputError(
                text("The shot in \"%s\" has no level world of its own: level it there first.", file.c_str()));
        for (const Path& p : *other.paths)
            if (!p.name.empty())
                if (const auto at = other.worldPointOfPath(p.id)) there[p.name] = *at;
    }
    std::vector<SharedPoint> out;
    for (const Path& p : *shot.paths)
        if (const auto at = there.find(p.name); !p.name.empty() && at != there.end())
            out.push_back({p.id, p.name, at->second});
    if (out.size() < 3)
        throw InputError(
            text("%zu features here have the name of a solved feature in \"%s\"; three are needed. Name "
                 "the same spots alike in both shots.",
                 out.size(), file.c_str()));
    return out;
}

std::vector<int> pathsOnPatch(const Shot& shot, const FlatPatch& patch) {
    std::vector<int> out;
    if (!shot.solve->hasDepth()) return out;
    // A point is inside where all sides turn round it the same way.
    const auto inside = [](const Corners& c, const Eigen::Vector2d& p) {
        int left = 0;
        for (size_t i = 0; i < 4; ++i) {
            const Eigen::Vector2d side = c[(i + 1) % 4] - c[i], off = p - c[i];
            left += side.x() * off.y() - side.y() * off.x() > 0;
        }
        return left == 0 || left == 4;
    };
    for (const SolvedPoint& point : shot.solve->points) {
        const Path* path = shot.path(point.pathId);
        if (!path) continue;
        int seen = 0, within = 0;
        for (const PathPoint& q : path->points) {
            const auto corners = q.counts() ? patch.cornersAt(q.frame) : std::nullopt;
            if (!corners) continue;
            ++seen;
            within += inside(*corners, {q.x, q.y});
        }
        if (seen > 0 && within == seen) out.push_back(point.pathId);
    }
    return out;
}

}  // namespace va
