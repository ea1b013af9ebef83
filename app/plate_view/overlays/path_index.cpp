// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/path_index.h"

namespace va {

void PathIndex::update(const Shot& shot) {
    if (indexed_ != shot.paths || frames_ != shot.plate.frames) {
        indexed_ = shot.paths;
        frames_ = shot.plate.frames;
        byFrame_.assign(size_t(std::max(0, frames_.count())), {});
        for (size_t p = 0; p < shot.paths->size(); ++p) {
            const auto& points = (*shot.paths)[p].points;
            for (size_t i = 0; i < points.size(); ++i)
                if (frames_.contains(points[i].frame))
                    byFrame_[size_t(points[i].frame - frames_.first)].push_back({int(p), int(i)});
        }
    }
    placed_.clear();
    for (const SolvedPoint& p : shot.solve->points) placed_[p.pathId] = {shot.worldPoint(p), p.stretch, {}};
    for (const SolveOutlier& o : shot.solve->outliers)
        if (const auto at = placed_.find(o.pathId); at != placed_.end())
            at->second.rejected.insert(o.frames.begin(), o.frames.end());
    onMover_.clear();
    moverOf_.clear();
    for (size_t i = 0; i < shot.movers.size(); ++i) {
        for (const int id : shot.movers[i].paths) moverOf_[id] = int(i);
        for (const auto& [id, local] : moverPoints(shot, shot.movers[i])) onMover_[id] = {int(i), local};
    }
}

void PathIndex::goTo(const Shot& shot, int frame) {
    frame_ = frame;
    free_ = shot.solve->hasDepth();
    camera_ = shot.cameraAt(frame);
    movers_.clear();
    for (const Mover& m : shot.movers) movers_.push_back(moverWorldPose(shot, m, frame));
}

const std::vector<PathIndex::Seen>& PathIndex::seenIn(int frame) const {
    static const std::vector<Seen> none;
    return frames_.contains(frame) ? byFrame_[size_t(frame - frames_.first)] : none;
}

std::optional<Eigen::Vector2d> PathIndex::predicted(int pathId) const {
    if (!camera_) return std::nullopt;
    if (const auto on = onMover_.find(pathId); on != onMover_.end()) {
        const auto& pose = movers_[size_t(on->second.mover)];
        if (!pose) return std::nullopt;
        return camera_->project(pose->position + pose->worldFromCamera * on->second.local);
    }
    const auto placed = placed_.find(pathId);
    if (!free_ || placed == placed_.end() || !placed->second.stretch.contains(frame_) ||
        placed->second.rejected.contains(frame_))
        return std::nullopt;
    return camera_->project(placed->second.world);
}

std::optional<Eigen::Vector3d> PathIndex::worldOf(int pathId) const {
    const auto placed = placed_.find(pathId);
    return placed != placed_.end() ? std::optional(placed->second.world) : std::nullopt;
}

std::optional<int> PathIndex::moverOf(int pathId) const {
    const auto mover = moverOf_.find(pathId);
    return mover != moverOf_.end() ? std::optional(mover->second) : std::nullopt;
}

}  // namespace va
