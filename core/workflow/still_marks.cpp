// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/still_marks.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/parallel.h"
#include "base/text.h"
#include "ground/plane.h"
#include "track/patch.h"
#include "track/search_patch.h"
#include "track/track.h"
#include "workflow/open_plate.h"

namespace va {
namespace {

constexpr size_t neighbours = 6;         ///< solved points that tell depth and slant
constexpr double neighbourReach = 0.12;  ///< of the plate's width: how far away they may be
constexpr int mostPlateFrames = 12;
constexpr double searchReach = 0.012;  ///< of the still's width, around where the feature should be
constexpr double epipolarPx = 1.5;     ///< px of the still, that a mark may lie off its line
constexpr double goodCorrelation = 0.86;
constexpr double floorSigma = 0.15,
                 slantSigma = 0.35;  ///< px: the least deviation of a mark, and what a turned patch adds

/// A still that has joined, ready to be looked into.
struct Target {
    size_t index = 0;  ///< in Shot::stills
    View view;
    Intrinsics lens;
    int width = 0, height = 0;
    Pyramid pyramid;
    std::set<int> marked;
};

/// A solved point as the plate's frame sees it.
struct SeenPoint {
    Eigen::Vector2d at;
    Eigen::Vector3d position;
};

/// Where a spot of the plate lies, and how its surface leans.
struct Guess {
    Eigen::Vector3d position, normal;
};

/// Surfaces that a spot may lie on: the plane of the points around it, and one that faces the camera as far away as
/// they are.
std::vector<Guess> guessesAt(const FrameCamera& camera, const Eigen::Vector2d& at, const std::vector<SeenPoint>& seen,
                             double reach) {
    std::vector<const SeenPoint*> near;
    for (const SeenPoint& s : seen)
        if ((s.at - at).norm() < reach) near.push_back(&s);
    std::sort(near.begin(), near.end(),
              [&](const auto* a, const auto* b) { return (a->at - at).squaredNorm() < (b->at - at).squaredNorm(); });
    if (near.size() > neighbours) near.resize(neighbours);
    const auto ray = camera.ray(at);
    std::vector<Guess> out;
    if (near.size() < 3 || !ray) return out;
    std::vector<Eigen::Vector3d> positions;
    std::vector<double> distances;
    for (const SeenPoint* s : near)
        positions.push_back(s->position), distances.push_back((s->position - ray->origin).norm());
    if (const auto plane = fitPlane(positions)) {
        const double along = plane->normal.dot(ray->direction);
        const double distance = (plane->offset - plane->normal.dot(ray->origin)) / along;
        const auto [low, high] = std::minmax_element(distances.begin(), distances.end());
        // Hardly seen from its edge, and not far from the points that it comes from.
        if (std::fabs(along) > 0.05 && distance > 0.7 * *low && distance < 1.4 * *high)
            out.push_back({ray->at(distance), plane->normal});
    }
    out.push_back({ray->at(distances.front()), -ray->direction});
    return out;
}

/// How the patch around a pixel of the plate is seen in the still, for a surface; nothing where it is not.
std::optional<Placement> placementIn(const Target& still, const FrameCamera& camera, const Eigen::Vector2d& at,
                                     const Guess& guess) {
    const auto through = [&](const Eigen::Vector2d& pixel) -> std::optional<Eigen::Vector2d> {
        const auto ray = camera.ray(pixel);
        if (!ray) return std::nullopt;
        const double along = guess.normal.dot(ray->direction);
        if (std::fabs(along) < 1e-3) return std::nullopt;
        const double distance = guess.normal.dot(guess.position - ray->origin) / along;
        return distance > 0 ? project(still.view, still.lens, ray->at(distance)) : std::nullopt;
    };
    const auto middle = through(at), right = through(at + Eigen::Vector2d(2, 0)),
               down = through(at + Eigen::Vector2d(0, 2));
    if (!middle || !right || !down) return std::nullopt;
    Placement p;
    p.at = *middle;
    p.shape.col(0) = (*right - *middle) / 2;
    p.shape.col(1) = (*down - *middle) / 2;
    const double area = p.shape.determinant();
    // Seen from behind, from its edge, or at a size that has nothing in common.
    if (!(area > 0.06 && area < 16)) return std::nullopt;
    const double margin = 4;
    if (p.at.x() < margin || p.at.y() < margin || p.at.x() > still.width - 1 - margin ||
        p.at.y() > still.height - 1 - margin)
        return std::nullopt;
    return p;
}

/// Distance in px of a pixel of the still from the line that a ray of the plate is seen as; 1e9 where it is not seen.
double epipolarDistance(const Target& still, const Ray& ray, double distance, const Eigen::Vector2d& pixel) {
    const auto near = project(still.view, still.lens, ray.at(0.8 * distance)),
               far = project(still.view, still.lens, ray.at(1.3 * distance));
    if (!near || !far || (*far - *near).norm() < 1e-6) return 1e9;
    const Eigen::Vector2d along = (*far - *near).normalized(), off = pixel - *near;
    return std::fabs(along.x() * off.y() - along.y() * off.x());
}

std::optional<StillMark> markInStill(const Target& still, const FrameCamera& camera, const Luma& picture,
                                     const Eigen::Vector2d& at, const std::vector<Guess>& guesses, int pathId) {
    const int x = int(std::lround(at.x())), y = int(std::lround(at.y()));
    const ReferencePatch patch(picture, x, y, defaultPatchRadius(picture.width));
    if (!patch.usable()) return std::nullopt;
    const Eigen::Vector2d inPatch = at - Eigen::Vector2d(x, y);
    const auto ray = camera.ray(at);
    std::optional<StillMark> best;
    double highest = goodCorrelation;
    for (const Guess& guess : guesses) {
        const auto start = placementIn(still, camera, {double(x), double(y)}, guess);
        if (!start) continue;
        const auto near =
            searchPatch(patch, start->shape, still.pyramid, start->at, std::max(8, int(searchReach * still.width)));
        if (!near) continue;
        ReferencePatch::Options options;
        options.iterations = 30;
        const auto found = patch.registerIn(still.pyramid, {start->shape, *near}, options);
        if (!found || found->correlation < highest || (found->placement.at - *near).norm() > 4) continue;
        const Eigen::Vector2d pixel = found->placement.at + found->placement.shape * inPatch;
        if (epipolarDistance(still, *ray, (guess.position - ray->origin).norm(), pixel) > epipolarPx) continue;
        highest = found->correlation;
        const double variance = std::max(found->covariance.trace(), found->scatter.trace()) / 2;
        const double turned = 1 - std::min(1.0, found->placement.shape.determinant());
        best = StillMark{pathId, pixel,
                         std::hypot(floorSigma + slantSigma * turned, std::sqrt(std::max(0.0, variance))), false};
    }
    return best;
}

}  // namespace

Shot withMoreStillMarks(const Shot& shot, Progress& progress) {
    Shot out = shot;
    const SolveResult& solve = *shot.solve;
    std::vector<Target> targets;
    for (size_t i = 0; i < shot.stills.size(); ++i)
        for (const SolvedStill& s : solve.stills) {
            const ReferenceStill& still = shot.stills[i];
            if (s.id != still.id || !s.solved || !still.on) continue;
            const auto source = openStill(still.file);
            Luma picture = source->luma(source->info().frames.first);
            Target t{i, viewFromPose(s.pose), s.lens, picture.width, picture.height, {}, {}};
            const int levels = pyramidLevels(picture.width);
            t.pyramid = Pyramid(std::move(picture), levels);
            for (const StillMark& m : still.marks) t.marked.insert(m.path);
            targets.push_back(std::move(t));
        }
    const std::vector<int> frames = shot.frames();
    if (targets.empty() || frames.empty() || solve.points.empty()) return out;
    const int count = std::min(int(frames.size()), mostPlateFrames);
    progress.stage(text("Looking for features in the stills"), count, 0.2);
    std::map<int, Eigen::Vector3d> positions;
    for (const SolvedPoint& p : solve.points) positions[p.pathId] = p.position;
    std::set<int> rejected;
    for (const SolveOutlier& o : solve.outliers)
        if (o.whole) rejected.insert(o.pathId);
    const auto plate = openPlateOf(shot);
    for (int k = 0; k < count; ++k) {
        progress.check();
        const int frame = frames[count > 1 ? size_t(k) * (frames.size() - 1) / size_t(count - 1) : 0];
        const auto camera = solve.cameraAt(frame);
        progress.advance();
        if (!camera) continue;
        std::vector<SeenPoint> seen;
        std::vector<std::pair<int, Eigen::Vector2d>> wanted;
        for (const Path& p : *shot.paths) {
            const PathPoint* q = p.at(frame);
            if (!q || !q->counts() || p.setAside || rejected.contains(p.id)) continue;
            if (const auto known = positions.find(p.id); known != positions.end())
                seen.push_back({{q->x, q->y}, known->second});
            wanted.emplace_back(p.id, Eigen::Vector2d(q->x, q->y));
        }
        const Pyramid picture(plate->luma(frame), 1);
        std::vector<std::vector<std::optional<StillMark>>> found(wanted.size(),
                                                                 std::vector<std::optional<StillMark>>(targets.size()));
        parallelRanges(int(wanted.size()), 8, [&](int begin, int end) {
            for (int i = begin; i < end; ++i) {
                const auto& [path, at] = wanted[size_t(i)];
                std::vector<Guess> guesses;
                if (const auto known = positions.find(path); known != positions.end())
                    guesses = {{known->second, (camera->pose().position - known->second).normalized()}};
                const auto around = guessesAt(*camera, at, seen, neighbourReach * shot.plate.width);
                guesses.insert(guesses.begin(), around.begin(), around.end());
                for (size_t t = 0; t < targets.size() && !guesses.empty(); ++t)
                    if (!targets[t].marked.contains(path))
                        found[size_t(i)][t] = markInStill(targets[t], *camera, picture.level(0), at, guesses, path);
            }
        });
        for (size_t i = 0; i < wanted.size(); ++i)
            for (size_t t = 0; t < targets.size(); ++t)
                if (found[i][t]) {
                    out.stills[targets[t].index].marks.push_back(*found[i][t]);
                    targets[t].marked.insert(wanted[i].first);
                }
    }
    return out;
}

}  // namespace va
