// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/patch_axes.h"

#include <algorithm>
#include <array>

#include "base/svd3.h"
#include "ground/plane.h"
#include "ground/region_slant.h"
#include "ground/surface.h"
#include "solve/minimal/resect.h"
#include "workflow/ground_work.h"

namespace va {
namespace {

// Frames that are asked for a slant, and features around a patch that are asked for its distance.
constexpr size_t slantFrames = 24, neighbours = 9;
// How well a tracked region's corners are known; px.
constexpr double cornerErrorPx = 0.5;
// A view that leaves more than this was begun too far away.
constexpr double farOffPx = 1.5;

Similarity asSimilarity(const CameraPose& pose) { return {1, pose.worldFromCamera, pose.position}; }

Eigen::Vector2d middleOf(const Corners& c) { return (c[0] + c[1] + c[2] + c[3]) / 4; }

/// Plane through the solved features on a patch; nothing where there are too few.
std::optional<PlaneFit> planeOfFeatures(const Shot& shot, const FlatPatch& patch) {
    // Features in front of it, or seen past its edge, are sorted out.
    const std::vector<int> on = pathsOnPatch(shot, patch);
    const auto surface = shot.groundBasis ? fitSurface(shot.groundBasis->points, on, true) : std::nullopt;
    std::vector<Eigen::Vector3d> points;
    for (const int id : surface ? surface->paths : on)
        if (const auto p = shot.worldPointOfPath(id)) points.push_back(*p);
    return fitPlane(points);
}

std::optional<NormalisedCorners> normalised(const Shot& shot, const FlatPatch& patch, int frame) {
    const auto corners = patch.cornersAt(frame);
    const auto lens = shot.lensAt(frame);
    if (!corners || !lens) return std::nullopt;
    NormalisedCorners out;
    for (size_t k = 0; k < 4; ++k) {
        const auto p = lens->normalisedFromPixel((*corners)[k]);
        if (!p) return std::nullopt;
        out[k] = *p;
    }
    return out;
}

/// Depth of the solved features around the patch in its reference frame, world units along the camera's axis.
std::optional<double> depthAround(const Shot& shot, const FlatPatch& patch, const FrameCamera& reference) {
    const Eigen::Vector2d middle = middleOf(patch.corners);
    const Eigen::Vector3d ahead = reference.pose().worldFromCamera * Eigen::Vector3d(0, 0, -1);
    std::vector<std::pair<double, double>> found;  // distance in the picture, depth
    for (const SolvedPoint& point : shot.solve->points) {
        const Eigen::Vector3d at = shot.worldPoint(point);
        const auto pixel = reference.project(at);
        if (pixel) found.emplace_back((*pixel - middle).norm(), ahead.dot(at - reference.pose().position));
    }
    if (found.empty()) return std::nullopt;
    const size_t n = std::min(neighbours, found.size());
    std::partial_sort(found.begin(), found.begin() + long(n), found.end());
    std::vector<double> depths;
    for (size_t i = 0; i < n; ++i) depths.push_back(found[i].second);
    std::nth_element(depths.begin(), depths.begin() + long(n / 2), depths.end());
    return depths[n / 2];
}

/// The plane that a patch which moves by itself lies in, in its reference frame.
std::optional<PlaneFit> planeByItself(const Shot& shot, const FlatPatch& patch, const FrameCamera& reference) {
    const auto corners = normalised(shot, patch, patch.referenceFrame);
    const auto depth = depthAround(shot, patch, reference);
    const auto ray = reference.ray(middleOf(patch.corners));
    if (!corners || !depth || !ray) return std::nullopt;
    std::vector<NormalisedCorners> others;
    const size_t step = std::max<size_t>(1, patch.frames.size() / slantFrames);
    for (size_t i = 0; i < patch.frames.size(); i += step)
        if (patch.frames[i].frame != patch.referenceFrame)
            if (const auto c = normalised(shot, patch, patch.frames[i].frame)) others.push_back(*c);
    const auto normal = regionNormal(*corners, others, cornerErrorPx / std::max(1.0, reference.lens().focalPx));
    if (!normal) return std::nullopt;
    PlaneFit plane;
    plane.normal = reference.pose().worldFromCamera * Eigen::Vector3d(normal->x(), -normal->y(), -normal->z());
    const Eigen::Vector3d ahead = reference.pose().worldFromCamera * Eigen::Vector3d(0, 0, -1);
    const double along = ray->direction.dot(ahead);
    if (!(along > 0)) return std::nullopt;
    plane.offset = plane.normal.dot(ray->at(*depth / along));
    return plane;
}

/// View of flat points from their map to the picture: its first two columns are the plane's axes (Zhang, PAMI 2000).
std::optional<View> viewOfPlane(const Points3& world, const Points2& seen) {
    const Eigen::Vector3d origin = world[4], x = (world[7] - world[1]).normalized();
    Eigen::Vector3d y = world[5] - world[3];
    y = (y - y.dot(x) * x).normalized();
    Corners flat, picture;
    const size_t corner[4] = {0, 2, 8, 6};
    for (size_t k = 0; k < 4; ++k) {
        const Eigen::Vector3d p = world[corner[k]] - origin;
        flat[k] = {x.dot(p), y.dot(p)};
        picture[k] = seen[corner[k]];
    }
    const auto map = mapOfCorners(flat, picture);
    if (!map) return std::nullopt;
    double scale = 2 / (map->col(0).norm() + map->col(1).norm());
    if ((*map)(2, 2) < 0) scale = -scale;
    Eigen::Matrix3d axes, picked;
    axes.col(0) = x, axes.col(1) = y, axes.col(2) = x.cross(y);
    picked.col(0) = (scale * map->col(0)).normalized(), picked.col(1) = (scale * map->col(1)).normalized();
    picked.col(2) = picked.col(0).cross(picked.col(1)).normalized();
    const Eigen::Matrix3d turn = nearestRotation(picked * axes.transpose());
    return View{turn, scale * map->col(2) - turn * origin};
}

double rmsOf(const View& view, const Points3& world, const Points2& seen) {
    double sum = 0;
    for (size_t i = 0; i < world.size(); ++i) {
        const Eigen::Vector3d c = view.toCamera(world[i]);
        sum += c.z() > 0 ? (c.head<2>() / c.z() - seen[i]).squaredNorm() : 1e6;
    }
    return std::sqrt(sum / double(world.size()));
}

/// The view that sees a patch's points where they are seen: from how the camera stands, or where the patch went far
/// from there, from its own map.
View viewOfPatch(const View& camera, const Points3& world, const Points2& seen, double focalPx) {
    const std::vector<double> weights(world.size(), focalPx * focalPx);
    const View near = refineView(camera, world, seen, weights, 10);
    if (rmsOf(near, world, seen) * focalPx < farOffPx) return near;
    const auto start = viewOfPlane(world, seen);
    if (!start) return near;
    const View far = refineView(*start, world, seen, weights, 10);
    return rmsOf(far, world, seen) < rmsOf(near, world, seen) ? far : near;
}

}  // namespace

bool patchDistanceAssumed(const Shot& shot, const FlatPatch& patch) { return !planeOfFeatures(shot, patch); }

std::optional<Similarity> patchAxes(const Shot& shot, const FlatPatch& patch, int frame) {
    if (!shot.solve->hasDepth()) return std::nullopt;
    const auto reference = shot.cameraAt(patch.referenceFrame), here = shot.cameraAt(frame);
    const auto map = patch.mapAt(frame);
    if (!reference || !here || !map) return std::nullopt;
    auto plane = planeOfFeatures(shot, patch);
    if (!plane) plane = planeByItself(shot, patch, *reference);
    if (!plane) return std::nullopt;
    const auto onPlane = [&](const Eigen::Vector2d& pixel) -> std::optional<Eigen::Vector3d> {
        const auto ray = reference->ray(pixel);
        const double down = ray ? plane->normal.dot(ray->direction) : 0;
        const double t = std::fabs(down) > 1e-9 ? -plane->distance(ray->origin) / down : -1;
        return t > 0 ? std::optional(ray->at(t)) : std::nullopt;
    };
    std::array<Eigen::Vector3d, 4> corners;
    for (size_t k = 0; k < 4; ++k) {
        const auto p = onPlane(patch.corners[k]);
        if (!p) return std::nullopt;
        corners[k] = *p;
    }
    // Nine points of it, from corner to corner, on the plane.
    Points3 world;
    Points2 seen;
    for (const double a : {0.0, 0.5, 1.0})
        for (const double b : {0.0, 0.5, 1.0}) {
            const Eigen::Vector2d pixel = (1 - a) * ((1 - b) * patch.corners[0] + b * patch.corners[1]) +
                                          a * ((1 - b) * patch.corners[3] + b * patch.corners[2]);
            const auto p = onPlane(pixel);
            const auto ray = here->ray(throughMap(*map, pixel));
            if (!p || !ray) return std::nullopt;
            // Of a rolling shutter the ray of the row, seen from the pose of the middle one.
            const Eigen::Vector3d d = here->pose().worldFromCamera.conjugate() * ray->direction;
            if (!(d.z() < 0)) return std::nullopt;
            world.push_back(*p);
            seen.emplace_back(d.x() / -d.z(), -d.y() / -d.z());
        }
    const View view = viewOfPatch(viewFromPose(here->pose()), world, seen, here->lens().focalPx);
    // Patch in the frame from patch in its reference frame: the camera as it is, after what the patch sees of it.
    const CameraPose sees = poseFromView(view);
    const Similarity moved = asSimilarity(here->pose()).after(asSimilarity(sees).inverse());
    Eigen::Vector3d y = plane->normal, x = (corners[1] - corners[0]).normalized();
    if (y.dot(reference->pose().position - corners[0]) < 0) y = -y;
    x = (x - x.dot(y) * y).normalized();
    Eigen::Matrix3d r;
    r.col(0) = x, r.col(1) = y, r.col(2) = x.cross(y);
    if (!r.allFinite()) return std::nullopt;
    const Similarity at{1, Eigen::Quaterniond(r).normalized(), (corners[0] + corners[1] + corners[2] + corners[3]) / 4};
    return moved.after(at);
}

}  // namespace va
