// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/place_things.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "base/by_id.h"
#include "base/text.h"
#include "ground/plane.h"
#include "workflow/mover_work.h"
#include "workflow/patch_axes.h"

namespace va {
namespace {

constexpr int deepestHang = 64;

std::vector<Eigen::Vector3d> pointsOf(const Shot& shot, const std::vector<int>& paths) {
    std::vector<Eigen::Vector3d> out;
    for (const int id : paths)
        if (const auto p = shot.worldPointOfPath(id)) out.push_back(*p);
    return out;
}

Eigen::Vector3d meanOf(const std::vector<Eigen::Vector3d>& points) {
    Eigen::Vector3d sum = Eigen::Vector3d::Zero();
    for (const Eigen::Vector3d& p : points) sum += p / double(points.size());
    return sum;
}

/// The middle of the camera's path.
Eigen::Vector3d viewerOf(const Shot& shot) {
    std::vector<Eigen::Vector3d> all;
    for (const SolvedFrame& f : shot.solve->frames)
        if (f.solved) all.push_back(shot.ground->worldFromSolve.point(f.pose.position));
    return all.empty() ? Eigen::Vector3d::Zero() : meanOf(all);
}

Similarity similarityOf(const CameraPose& pose) { return {1, pose.worldFromCamera, pose.position}; }

}  // namespace

std::optional<Similarity> axesOnPoints(const std::vector<Eigen::Vector3d>& points, const Eigen::Vector3d& viewer) {
    const auto plane = fitPlane(points);
    if (!plane) return std::nullopt;
    const Eigen::Vector3d origin = meanOf(points);
    Eigen::Vector3d y = plane->normal;
    if (y.dot(viewer - origin) < 0) y = -y;
    double extent = 0;
    for (const Eigen::Vector3d& p : points) extent = std::max(extent, (p - origin).norm());
    for (const Eigen::Vector3d& p : points) {
        const Eigen::Vector3d off = p - origin, x = off - off.dot(y) * y;
        if (x.norm() < 0.05 * extent) continue;
        Eigen::Matrix3d r;
        r.col(0) = x.normalized();
        r.col(1) = y;
        r.col(2) = r.col(0).cross(y);
        return Similarity{1, Eigen::Quaterniond(r).normalized(), origin};
    }
    return std::nullopt;
}

std::optional<Similarity> PlacedThings::axesOf(const Hang& hang) const { return axesOf(hang, 0); }

std::optional<Similarity> PlacedThings::axesOf(const Hang& hang, int depth) const {
    const auto at = [](const Eigen::Vector3d& p) { return Similarity{1, Eigen::Quaterniond::Identity(), p}; };
    const int frame = int(std::lround(frame_));
    switch (hang.on) {
        case Hang::On::world:
        case Hang::On::ground: return Similarity();
        case Hang::On::point:
            if (const auto p = shot_.worldPointOfPath(hang.id)) return at(*p);
            break;
        case Hang::On::middle:
            if (const auto p = pointsOf(shot_, hang.paths); !p.empty()) return at(meanOf(p));
            break;
        case Hang::On::surface: return axesOnPoints(pointsOf(shot_, hang.paths), viewerOf(shot_));
        case Hang::On::plane:
            if (const NamedPlane* p = shot_.groundSpec.plane(hang.id))
                return axesOnPoints(pointsOf(shot_, p->paths), viewerOf(shot_));
            break;
        case Hang::On::thing:
            if (const Thing* t = shot_.thing(hang.id)) return of(*t, depth + 1);
            break;
        case Hang::On::mover:
            if (const Mover* m = shot_.mover(hang.id))
                if (const auto pose = moverWorldPose(shot_, *m, frame)) return similarityOf(*pose);
            break;
        case Hang::On::patch:
            if (const FlatPatch* p = shot_.patch(hang.id)) return patchAxes(shot_, *p, frame);
            break;
        case Hang::On::camera:
            if (const auto pose = shot_.worldPose(frame)) return similarityOf(*pose);
            break;
    }
    return std::nullopt;
}

std::optional<Similarity> PlacedThings::of(const Thing& thing) const { return of(thing, 0); }

std::optional<Similarity> PlacedThings::of(const Thing& thing, int depth) const {
    if (depth > deepestHang) return std::nullopt;
    const auto axes = axesOf(thing.hang, depth);
    if (!axes) return std::nullopt;
    return axes->after(thing.at(frame_));
}

bool PlacedThings::visible(const Thing& thing) const {
    const Thing* t = &thing;
    for (int depth = 0; t && depth <= deepestHang; ++depth) {
        if (!t->visibleAt(frame_)) return false;
        t = t->parent() != 0 ? shot_.thing(t->parent()) : nullptr;
    }
    return true;
}

bool PlacedThings::locked(const Thing& thing) const {
    const Thing* t = &thing;
    for (int depth = 0; t && depth <= deepestHang; ++depth) {
        if (t->locked) return true;
        t = t->parent() != 0 ? shot_.thing(t->parent()) : nullptr;
    }
    return false;
}

bool thingMoves(const Shot& shot, const Thing& thing) {
    const Thing* t = &thing;
    for (int depth = 0; t && depth <= deepestHang; ++depth) {
        if (!t->keys.position.empty() || !t->keys.turn.empty() || !t->keys.scale.empty() || !t->keys.visible.empty())
            return true;
        const Hang::On on = t->hang.on;
        if (on == Hang::On::mover || on == Hang::On::patch || on == Hang::On::camera) return true;
        t = t->parent() != 0 ? shot.thing(t->parent()) : nullptr;
    }
    return false;
}

bool wouldLoop(const Shot& shot, int thing, int parent) {
    for (int depth = 0; parent != 0 && depth <= deepestHang; ++depth) {
        if (parent == thing) return true;
        const Thing* t = shot.thing(parent);
        parent = t ? t->parent() : 0;
    }
    return parent != 0;
}

namespace {

/// What brings the world before to the world now: through the solve's space where the solve is the same one, else by
/// the points that both have. Nothing where that can't be told.
std::optional<Similarity> changeOfWorld(const Shot& before, const Shot& now) {
    if (before.solve == now.solve) return now.ground->worldFromSolve.after(before.ground->worldFromSolve.inverse());
    std::unordered_map<int, Eigen::Vector3d> had;
    for (const SolvedPoint& p : before.solve->points) had[p.pathId] = before.worldPoint(p);
    std::vector<std::pair<Eigen::Vector3d, Eigen::Vector3d>> pairs;
    for (const SolvedPoint& p : now.solve->points)
        if (const auto at = had.find(p.pathId); at != had.end()) pairs.emplace_back(at->second, now.worldPoint(p));
    std::optional<Similarity> change;
    // Points that were solved badly, then or now, are left out by their distance: three rounds settle it.
    for (int round = 0; round < 4; ++round) {
        if (pairs.size() < 4) return change;
        Eigen::Matrix3Xd from(3, Eigen::Index(pairs.size())), to(3, Eigen::Index(pairs.size()));
        for (size_t i = 0; i < pairs.size(); ++i)
            from.col(Eigen::Index(i)) = pairs[i].first, to.col(Eigen::Index(i)) = pairs[i].second;
        const Similarity s = similarityBetween(from, to);
        if (!(s.scale > 0) || !std::isfinite(s.scale)) return change;
        change = s;
        std::vector<double> off;
        for (const auto& [a, b] : pairs) off.push_back((s.point(a) - b).norm());
        std::vector<double> sorted = off;
        std::nth_element(sorted.begin(), sorted.begin() + long(sorted.size() / 2), sorted.end());
        const double limit = 3 * sorted[sorted.size() / 2] + 1e-12;
        std::vector<std::pair<Eigen::Vector3d, Eigen::Vector3d>> near;
        for (size_t i = 0; i < pairs.size(); ++i)
            if (off[i] <= limit) near.push_back(pairs[i]);
        pairs = std::move(near);
    }
    return change;
}

/// Its position and rotation, keys included, taken through a function of both.
template <class Move>
void moveAll(Thing& t, Move move) {
    const Similarity plain = move(Similarity{1, t.rotation, t.position});
    t.position = plain.translation;
    t.rotation = plain.rotation;
    Keyed<Eigen::Vector3d> positions, turns;
    for (const auto& k : t.keys.position.keys) {
        positions.set(k.frame, move(t.at(k.frame)).translation);
        positions.setBetween(k.frame, k.between);
    }
    for (const auto& k : t.keys.turn.keys) {
        turns.set(k.frame, turnNear(turnOf(move(t.at(k.frame)).rotation), k.value));
        turns.setBetween(k.frame, k.between);
    }
    t.keys.position.keys = positions;
    t.keys.turn.keys = turns;
}

/// Paths of a middle or a surface that went with the solve: the place is told from those that are left.
void holdOnTo(const Shot& before, const Shot& now, const Similarity& change, Thing& t) {
    if (t.hang.on != Hang::On::middle && t.hang.on != Hang::On::surface) return;
    std::vector<int> had, left;
    for (const int id : t.hang.paths) {
        if (before.worldPointOfPath(id)) had.push_back(id);
        if (now.worldPointOfPath(id)) left.push_back(id);
    }
    if (had == left) return;
    const auto old = PlacedThings(before, 0).axesOf(t.hang);
    Hang next = t.hang;
    next.paths = left;
    const auto axes = PlacedThings(now, 0).axesOf(next);
    if (!old || !axes) return;
    // The change of scale is in the fields; here only positions and rotations matter.
    const Similarity there = change.after(*old), back = axes->inverse();
    t.hang = next;
    moveAll(t, [&](const Similarity& s) {
        return Similarity{1, (back.rotation * there.rotation * s.rotation).normalized(),
                          back.point(there.point(s.translation))};
    });
    // What follows would scale it once more.
    moveAll(t, [&](const Similarity& s) { return Similarity{1, s.rotation, s.translation / change.scale}; });
}

}  // namespace

CarriedThings carriedThings(const Shot& before, const Shot& now) {
    CarriedThings carried{now.things, {}};
    const std::vector<Thing>& out = carried.things;
    const auto& a = before.ground->worldFromSolve;
    const auto& b = now.ground->worldFromSolve;
    if (before.solve == now.solve && a.scale == b.scale && a.rotation.coeffs() == b.rotation.coeffs() &&
        a.translation == b.translation)
        return carried;
    const auto change = changeOfWorld(before, now);
    if (!change) {
        const auto inWorld = std::count_if(out.begin(), out.end(), [](const Thing& t) {
            return t.hang.on == Hang::On::world || t.hang.on == Hang::On::ground;
        });
        if (inWorld > 0 && before.hasWorld() && now.hasWorld())
            carried.trouble = text(
                "This solve has fewer than four features in common with the one before: %ld things on the ground or in "
                "the world keep their numbers. Check where they stand, and drag them.",
                long(inWorld));
        return carried;
    }
    return carriedThings(before, now, *change);
}

CarriedThings carriedThings(const Shot& before, const Shot& now, const Similarity& change) {
    CarriedThings carried{now.things, {}};
    std::vector<Thing>& out = carried.things;
    const double heading = headingOf(change.rotation);
    const Eigen::Quaterniond level(Eigen::AngleAxisd(heading, Eigen::Vector3d::UnitY()));
    for (Thing& t : out) {
        holdOnTo(before, now, change, t);
        moveAll(t, [&](const Similarity& s) -> Similarity {
            switch (t.hang.on) {
                case Hang::On::world:
                    return {1, (change.rotation * s.rotation).normalized(), change.point(s.translation)};
                case Hang::On::ground: {
                    Eigen::Vector3d foot = change.point({s.translation.x(), 0, s.translation.z()});
                    foot.y() = s.translation.y() * change.scale;
                    return {1, (level * s.rotation).normalized(), foot};
                }
                case Hang::On::point:
                case Hang::On::middle:
                    return {1, (change.rotation * s.rotation).normalized(),
                            change.scale * (change.rotation * s.translation)};
                default: return {1, s.rotation, change.scale * s.translation};
            }
        });
        const std::vector<FieldValue> fields = fieldsOf(t.kind);
        for (size_t i = 0; i < fields.size(); ++i)
            if (fields[i].unit == FieldUnit::world)
                setField(t.kind, i, std::clamp(fields[i].value * change.scale, fields[i].low, fields[i].high));
    }
    return carried;
}

}  // namespace va
