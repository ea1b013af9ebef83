// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/suggest_masks.h"
#include "base/text.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

namespace va {
namespace {

constexpr size_t fewestPaths = 5;
constexpr int keyEvery = 12;

/// Convex hull, counter-clockwise in y-up terms (Andrew, "Another efficient algorithm for convex hulls in two
/// dimensions", 1979), pushed outward from its middle by `grow` px.
std::vector<MaskPoint> hull(std::vector<Eigen::Vector2d> p, double grow) {
    std::sort(p.begin(), p.end(),
              [](const auto& a, const auto& b) { return a.x() != b.x() ? a.x() < b.x() : a.y() < b.y(); });
    const auto cross = [](const Eigen::Vector2d& o, const Eigen::Vector2d& a, const Eigen::Vector2d& b) {
        return (a - o).x() * (b - o).y() - (a - o).y() * (b - o).x();
    };
    std::vector<Eigen::Vector2d> h;
    for (int pass = 0; pass < 2; ++pass) {
        const size_t start = h.size();
        for (const auto& q : p) {
            while (h.size() >= start + 2 && cross(h[h.size() - 2], h.back(), q) <= 0) h.pop_back();
            h.push_back(q);
        }
        h.pop_back();
        std::reverse(p.begin(), p.end());
    }
    Eigen::Vector2d middle = Eigen::Vector2d::Zero();
    for (const auto& q : h) middle += q / double(h.size());
    std::vector<MaskPoint> out;
    for (const auto& q : h) {
        const Eigen::Vector2d d = q - middle;
        out.push_back({q + grow * d / std::max(1e-6, d.norm()), Eigen::Vector2d::Zero(), Eigen::Vector2d::Zero()});
    }
    return out;
}

/// The same number of points in every key: the outline walked around in even steps from its topmost point.
std::vector<MaskPoint> evenly(const std::vector<MaskPoint>& outline, size_t count) {
    std::vector<Eigen::Vector2d> p;
    for (const auto& m : outline) p.push_back(m.at);
    const auto top = std::min_element(p.begin(), p.end(), [](const auto& a, const auto& b) { return a.y() < b.y(); });
    std::rotate(p.begin(), top, p.end());
    double length = 0;
    for (size_t i = 0; i < p.size(); ++i) length += (p[(i + 1) % p.size()] - p[i]).norm();
    std::vector<MaskPoint> out;
    size_t i = 0;
    double done = 0;
    for (size_t k = 0; k < count; ++k) {
        const double want = length * double(k) / double(count);
        double side = (p[(i + 1) % p.size()] - p[i]).norm();
        while (done + side < want && i + 1 < p.size()) done += side, ++i, side = (p[(i + 1) % p.size()] - p[i]).norm();
        const double t = side > 0 ? (want - done) / side : 0;
        out.push_back({(1 - t) * p[i] + t * p[(i + 1) % p.size()], Eigen::Vector2d::Zero(), Eigen::Vector2d::Zero()});
    }
    return out;
}

/// Largest distance between two paths in the frames they share, and how many those are.
std::pair<double, int> distance(const Path& a, const Path& b) {
    double most = 0;
    int together = 0;
    for (const PathPoint& p : a.points)
        if (const PathPoint* q = b.at(p.frame)) most = std::max(most, std::hypot(p.x - q->x, p.y - q->y)), ++together;
    return {most, together};
}

std::vector<std::vector<const Path*>> regions(const std::vector<const Path*>& paths, double reach) {
    std::vector<size_t> group(paths.size());
    std::iota(group.begin(), group.end(), 0);
    const auto root = [&](size_t i) {
        while (group[i] != i) i = group[i] = group[group[i]];
        return i;
    };
    for (size_t i = 0; i < paths.size(); ++i)
        for (size_t k = i + 1; k < paths.size(); ++k) {
            if (root(i) == root(k)) continue;
            const auto [apart, together] = distance(*paths[i], *paths[k]);
            if (together >= 4 && apart < reach) group[root(k)] = root(i);
        }
    std::map<size_t, std::vector<const Path*>> byRoot;
    for (size_t i = 0; i < paths.size(); ++i) byRoot[root(i)].push_back(paths[i]);
    std::vector<std::vector<const Path*>> out;
    for (auto& [r, members] : byRoot)
        if (members.size() >= fewestPaths) out.push_back(std::move(members));
    std::sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.size() > b.size(); });
    return out;
}

std::optional<MaskShape> outlined(const Shot& shot, const std::vector<const Path*>& region) {
    MaskShape shape;
    std::set<int> frames;
    for (const Path* p : region)
        for (const PathPoint& q : p->points) frames.insert(q.frame);
    const int first = *frames.begin(), last = *frames.rbegin();
    for (int f = first;; f = std::min(last, f + keyEvery)) {
        std::vector<Eigen::Vector2d> here;
        for (const Path* p : region)
            if (const PathPoint* q = p->at(f)) here.emplace_back(q->x, q->y);
        if (here.size() >= 3) {
            const auto outline = hull(here, 1.5 * defaultPatchRadius(shot.plate.width));
            if (outline.size() >= 3) shape.keys.set(f, evenly(outline, 8));
        }
        if (f == last) break;
    }
    if (shape.keys.empty()) return std::nullopt;
    return shape;
}

}  // namespace

std::vector<MaskSuggestion> suggestMasks(const Shot& shot) {
    std::vector<MaskSuggestion> out;
    if (shot.solve->motion != Motion::free) return out;
    int nextId = 1;
    for (const auto* list : {&shot.exclusions.masks, &shot.proof.front.masks})
        for (const MaskShape& m : *list) nextId = std::max(nextId, m.id + 1);
    const double reach = shot.plate.width / 12.0;
    const auto add = [&](const std::vector<const Path*>& region, bool moving) {
        auto shape = outlined(shot, region);
        if (!shape) return;
        MaskSuggestion s;
        s.shape = std::move(*shape);
        s.shape.id = nextId++;
        s.shape.name = (moving ? "moving " : "far ") + std::to_string(out.size() + 1);
        s.moving = moving;
        s.paths = int(region.size());
        const int frame = s.shape.keys.front().frame;
        s.reason = moving
                       ? text("%zu paths around frame %d move together, but not with the scene.", region.size(), frame)
                       : text("%zu points around frame %d lie too far away to tell where the camera stands.",
                              region.size(), frame);
        out.push_back(std::move(s));
    };
    std::vector<const Path*> strangers;
    for (const SolveOutlier& o : shot.solve->outliers) {
        const Path* p = shot.path(o.pathId);
        if (!p || !o.whole || p->setAside || p->points.size() < 8 || p->meanQuality() < 0.93) continue;
        if (o.reason == OutlierReason::notScene) strangers.push_back(p);
    }
    for (const auto& region : regions(strangers, reach)) add(region, true);

    // Largest distance between camera positions, over which a point's angle changes.
    double base = 0;
    std::vector<Eigen::Vector3d> places;
    for (const SolvedFrame& f : shot.solve->frames)
        if (f.solved) places.push_back(f.pose.position);
    for (size_t i = 0; i < places.size(); i += std::max<size_t>(1, places.size() / 20))
        for (const auto& p : places) base = std::max(base, (p - places[i]).norm());
    std::vector<const Path*> far;
    for (const SolvedPoint& p : shot.solve->points) {
        const double depth = places.empty() ? 0 : (p.position - places.front()).norm();
        const Path* path = shot.path(p.pathId);
        if (path && !path->setAside && depth > 0 && base / depth * shot.solve->lens.focalPx < 0.2) far.push_back(path);
    }
    for (const auto& region : regions(far, 2 * reach)) add(region, false);
    return out;
}

}  // namespace va
