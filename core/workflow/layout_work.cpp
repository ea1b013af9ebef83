// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/layout_work.h"

#include <algorithm>
#include <cmath>
#include <set>
#include <sstream>

#include "base/by_id.h"
#include "base/error.h"
#include "base/text.h"
#include "ground/transform_text.h"
#include "layout/assets.h"
#include "workflow/patch_axes.h"
#include "workflow/place_things.h"

namespace va {
namespace {

/// The world's distance at which a metre is taken to be a tenth of it.
double unitFor(const Shot& shot, const Eigen::Vector3d& foot, int frame) {
    if (shot.ground->metric) return 1;
    const auto pose = shot.worldPose(frame);
    const double far = pose ? (pose->position - foot).norm() : 0;
    return far > 0 ? 0.1 * far : 1;
}

double viewHeightAt(const Shot& shot, const Eigen::Vector3d& foot, int frame) {
    const auto camera = shot.cameraAt(frame);
    return camera ? camera->footprint(foot) * shot.plate.height : 0;
}

Eigen::Vector3d towardsCamera(const Shot& shot, const Eigen::Vector3d& foot, int frame) {
    const auto pose = shot.worldPose(frame);
    return pose ? Eigen::Vector3d(pose->position - foot) : Eigen::Vector3d::UnitZ();
}

std::vector<double> numbersOf(const std::string& list, size_t count, const std::string& words) {
    std::vector<double> out;
    std::stringstream in(list);
    for (std::string part; std::getline(in, part, ',');) {
        char* end = nullptr;
        const double v = std::strtod(part.c_str(), &end);
        if (end == part.c_str() || *end || !std::isfinite(v)) break;
        out.push_back(v);
    }
    if (out.size() != count)
        throw InputError(
            text("\"%s\" is no place: it takes %zu numbers with commas between them.", words.c_str(), count));
    return out;
}

std::vector<int> countedPoints(const Shot& shot, const std::vector<int>& paths) {
    std::vector<int> out;
    for (const int id : paths)
        if (shot.worldPointOfPath(id)) out.push_back(id);
    return out;
}

}  // namespace

SurfaceFinder surfaceFinder(const Shot& shot, int frame, const FrameCamera& solved) {
    return {*shot.groundBasis, *shot.ground, solved, shot.plate.width, shot.plate.height, [&shot, frame](int id) {
                const Path* path = shot.path(id);
                const PathPoint* p = path ? path->at(frame) : nullptr;
                return p && p->counts();
            }};
}

LayoutPlace placeOf(const Shot& shot, const SurfaceTile& tile) {
    const Similarity& world = shot.ground->worldFromSolve;
    LayoutPlace out{{}, world.point(tile.foot), (world.rotation * tile.normal).normalized()};
    switch (tile.from) {
        case SurfaceTile::From::points: out.hang = {Hang::On::surface, 0, tile.paths}; break;
        case SurfaceTile::From::plane: out.hang = {Hang::On::plane, tile.plane, {}}; break;
        case SurfaceTile::From::ground:
            out.hang.on = Hang::On::ground;
            out.foot.y() = 0;
            out.normal = Eigen::Vector3d::UnitY();
            break;
    }
    // A plane that can't be told again from its points is none to hang on.
    if (out.hang.follows() && !PlacedThings(shot, 0).axesOf(out.hang)) out.hang = {};
    return out;
}

std::optional<LayoutPlace> placeAt(const Shot& shot, int frame, const Eigen::Vector2d& pixel) {
    const auto camera = shot.cameraAt(frame);
    if (!camera || !shot.hasWorld()) return std::nullopt;
    if (shot.groundBasis && shot.solve->hasDepth())
        if (const auto solved = shot.solve->cameraAt(frame)) {
            const SurfaceFinder finder = surfaceFinder(shot, frame, *solved);
            if (const auto tile = finder.at(pixel)) return placeOf(shot, *tile);
        }
    const auto ray = camera->ray(pixel);
    const double t = ray && std::fabs(ray->direction.y()) > 1e-6 ? -ray->origin.y() / ray->direction.y() : -1;
    if (!(t > 0) || t > 1e5) return std::nullopt;
    LayoutPlace out;
    out.hang.on = Hang::On::ground;
    out.foot = ray->at(t);
    out.foot.y() = 0;
    return out;
}

LayoutPlace placeFromWords(const Shot& shot, const std::string& words) {
    const size_t colon = words.find(':');
    const std::string kind = words.substr(0, colon), rest = colon == std::string::npos ? "" : words.substr(colon + 1);
    if (!shot.hasWorld())
        throw InputError(text("The shot has no world to place things in. Match it first: vanchor match."));
    if (kind == "feature") {
        const int id = int(numbersOf(rest, 1, words)[0]);
        const auto at = shot.worldPointOfPath(id);
        if (!at) throw InputError(text("Feature %d was not solved. Take one that has a point in the cloud.", id));
        return {{Hang::On::point, id, {}}, *at, Eigen::Vector3d::UnitY()};
    }
    if (kind == "ground") {
        const std::vector<double> v = numbersOf(rest, 3, words);
        return {{Hang::On::ground, 0, {}}, {v[0], v[1], v[2]}, Eigen::Vector3d::UnitY()};
    }
    if (kind == "plane") {
        for (const NamedPlane& p : shot.groundSpec.planes)
            if (p.name == rest) {
                const Hang hang{Hang::On::plane, p.id, {}};
                const auto axes = PlacedThings(shot, 0).axesOf(hang);
                if (!axes) throw InputError(text("The plane \"%s\" is not in this solve any more.", rest.c_str()));
                return {hang, axes->translation, axes->rotation * Eigen::Vector3d::UnitY()};
            }
        throw InputError(text("There is no plane named \"%s\". Keep one in the step Ground first.", rest.c_str()));
    }
    if (kind == "frame") {
        const std::vector<double> v = numbersOf(rest, 3, words);
        const auto place = placeAt(shot, int(v[0]), {v[1], v[2]});
        if (!place)
            throw InputError(
                text("Nothing that is known lies under pixel %g, %g of frame %d. Point at the ground or at "
                     "a surface with features.",
                     v[1], v[2], int(v[0])));
        return *place;
    }
    throw InputError(
        text("\"%s\" is no place. Write feature:12, ground:x,y,z, plane:NAME or frame:1001,x,y.", words.c_str()));
}

LayoutPlace middleOf(const Shot& shot, const std::vector<int>& paths) {
    const std::vector<int> solved = countedPoints(shot, paths);
    if (solved.empty())
        throw InputError(text("None of the selected features was solved. Select features with a point in the cloud."));
    LayoutPlace out;
    out.hang = solved.size() == 1 ? Hang{Hang::On::point, solved[0], {}} : Hang{Hang::On::middle, 0, solved};
    out.foot = PlacedThings(shot, 0).axesOf(out.hang)->translation;
    return out;
}

LayoutPlace surfaceOf(const Shot& shot, const std::vector<int>& paths) {
    const std::vector<int> solved = countedPoints(shot, paths);
    if (solved.size() < 3)
        throw InputError(
            text("A plane takes three solved features, and %zu of the selected ones are. Select more.", solved.size()));
    LayoutPlace out{{Hang::On::surface, 0, solved}, {}, Eigen::Vector3d::UnitY()};
    const auto axes = PlacedThings(shot, 0).axesOf(out.hang);
    if (!axes) throw InputError(text("The selected features lie on a line. Add one beside it."));
    out.foot = axes->translation;
    out.normal = axes->rotation * Eigen::Vector3d::UnitY();
    return out;
}

Stance stanceFor(const Shot& shot, const ThingKind& kind, const Eigen::Vector3d& normal) {
    const bool flat = std::holds_alternative<Card>(kind) || std::holds_alternative<Label>(kind);
    const bool wall = std::fabs(normal.dot(uprightOf(shot))) < std::sqrt(0.5);
    return flat && wall ? Stance::lie : Stance::stand;
}

Thing newThing(const Shot& shot, const ThingKind& kind, const LayoutPlace& place, int frame, std::string* said) {
    Thing t;
    t.kind = kind;
    t.hang = place.hang;
    t.name = kindWord(kind);
    if (const auto* label = std::get_if<Label>(&kind)) t.name = "label " + label->words;
    const double unit = unitFor(shot, place.foot, frame);
    if (auto* mesh = std::get_if<Mesh>(&t.kind)) {
        mesh->start = shot.range.first;
        if (const auto file = assets().mesh(mesh->file)) {
            const Arrival arrival = arrivalOf(*file, shot.ground->metric, viewHeightAt(shot, place.foot, frame));
            mesh->size = arrival.size;
            if (said) *said = arrival.words;
        }
    } else if (unit != 1) {
        const std::vector<FieldValue> fields = fieldsOf(t.kind);
        for (size_t i = 0; i < fields.size(); ++i)
            if (fields[i].unit == FieldUnit::world || fields[i].unit == FieldUnit::metres)
                setField(t.kind, i, std::clamp(fields[i].value * unit, fields[i].low, fields[i].high));
    }
    if (std::holds_alternative<Light>(kind)) t.colour = {1, 1, 1, 1};
    if (auto* card = std::get_if<Card>(&t.kind)) {
        card->start = shot.range.first;
        // As wide as its picture makes it at this height.
        if (const auto picture = card->file.empty() ? nullptr : assets().picture(card->file, 0))
            card->width = card->height * picture->width / picture->height;
    }
    const Eigen::Quaterniond turn = rotationFor(stanceFor(shot, t.kind, place.normal), place.normal, uprightOf(shot),
                                                towardsCamera(shot, place.foot, frame));
    Similarity world{1, turn, place.foot};
    // What lies on a wall has its middle where it was dropped.
    if (stanceFor(shot, t.kind, place.normal) == Stance::lie) {
        const auto [low, high] = shapeOf(t.kind).bounds();
        world.translation -= turn * Eigen::Vector3d(0, (low.y() + high.y()) / 2, 0);
    }
    return movedTo(shot, t, world, frame);
}

Thing movedTo(const Shot& shot, const Thing& thing, const Similarity& world, int frame) {
    Thing out = thing;
    const auto axes = PlacedThings(shot, frame).axesOf(thing.hang);
    if (!axes) return out;
    const Similarity own = axes->inverse().after(world);
    setPosition(out, frame, own.translation);
    setRotation(out, frame, own.rotation);
    return out;
}

std::string freeName(const Shot& shot, const std::string& name, int butThing) {
    const auto taken = [&](const std::string& n) {
        return std::any_of(shot.things.begin(), shot.things.end(),
                           [&](const Thing& t) { return t.id != butThing && t.name == n; });
    };
    if (!taken(name)) return name;
    // "box 2" becomes "box 3", not "box 2 2".
    size_t end = name.size();
    while (end > 0 && std::isdigit(static_cast<unsigned char>(name[end - 1]))) --end;
    const bool numbered = end < name.size() && end > 1 && name[end - 1] == ' ' && name.size() - end < 7;
    const std::string head = numbered ? name.substr(0, end - 1) : name;
    for (int n = 2;; ++n)
        if (const std::string next = head + " " + std::to_string(n); !taken(next)) return next;
}

Shot withThing(const Shot& shot, Thing thing, int* id) {
    Shot next = shot;
    thing.id = freeId(next.things);
    thing.name = freeName(shot, thing.name.empty() ? std::string(kindWord(thing.kind)) : thing.name);
    if (id) *id = thing.id;
    next.things.push_back(std::move(thing));
    return next;
}

Shot withoutThing(const Shot& shot, int id) {
    Shot next = shot;
    const Thing* gone = shot.thing(id);
    if (!gone) return next;
    for (Thing& t : next.things) {
        if (t.parent() != id) continue;
        const int frame = shot.range.first;
        const auto world = PlacedThings(shot, frame).of(t);
        t.hang = gone->hang;
        if (!world) continue;
        const auto axes = PlacedThings(shot, frame).axesOf(t.hang);
        t = movedTo(shot, t, *world, frame);
        if (axes) t.scale = world->scale / axes->scale;
    }
    std::erase_if(next.things, [id](const Thing& t) { return t.id == id; });
    return next;
}

Shot withName(const Shot& shot, int id, const std::string& name) {
    if (name.find_first_not_of(" \t") == std::string::npos) throw InputError(text("A thing needs a name. Write one."));
    if (freeName(shot, name, id) != name)
        throw InputError(text("There is a thing named \"%s\" already. Choose another name.", name.c_str()));
    Shot next = shot;
    for (Thing& t : next.things)
        if (t.id == id) t.name = name;
    return next;
}

Thing replaced(const Shot& shot, const Thing& thing, const LayoutPlace& place, Offsets offsets, int frame) {
    if (place.hang.on == Hang::On::thing && wouldLoop(shot, thing.id, place.hang.id))
        throw InputError(
            text("\"%s\" can't hang on itself, nor on what hangs on it. Choose another target.", thing.name.c_str()));
    const PlacedThings now(shot, frame);
    const auto axes = now.axesOf(place.hang);
    if (!axes) throw InputError(text("The target has no place in frame %d. Choose another, or another frame.", frame));
    Thing out = thing;
    if (offsets == Offsets::inPlace) {
        const auto world = now.of(thing);
        out.hang = place.hang;
        if (!world) return out;
        out = movedTo(shot, out, *world, frame);
        setScale(out, frame, world->scale / axes->scale);
        return out;
    }
    if (offsets == Offsets::zeroed) {
        out.hang = place.hang;
        const Thing fresh = newThing(shot, thing.kind, place, frame);
        setPosition(out, frame, fresh.position);
        setRotation(out, frame, fresh.rotation);
        return out;
    }
    // The offset from where the old target's foot was, on the new one's.
    out.hang = place.hang;
    const Similarity foot = axes->inverse().after({axes->scale, axes->rotation, place.foot});
    setPosition(out, frame, foot.translation + thing.at(frame).translation);
    return out;
}

Eigen::Vector3d normalUnder(const Shot& shot, const Thing& thing, int frame) {
    const Hang::On on = thing.hang.on;
    if (on == Hang::On::surface || on == Hang::On::plane || on == Hang::On::patch)
        if (const auto axes = PlacedThings(shot, frame).axesOf(thing.hang))
            return axes->rotation * Eigen::Vector3d::UnitY();
    return uprightOf(shot);
}

Thing inStance(const Shot& shot, const Thing& thing, Stance stance, int frame) {
    const auto world = PlacedThings(shot, frame).of(thing);
    if (!world) return thing;
    Similarity next = *world;
    next.rotation = rotationFor(stance, normalUnder(shot, thing, frame), uprightOf(shot),
                                towardsCamera(shot, world->translation, frame));
    return movedTo(shot, thing, next, frame);
}

std::optional<double> bottomOverSurface(const Shot& shot, const Thing& thing, int frame) {
    const PlacedThings placed(shot, frame);
    const auto world = placed.of(thing);
    const auto axes = placed.axesOf(thing.hang);
    const Shape shape = shapeOf(thing.kind, frame, shot.rate().value());
    if (!world || !axes || shape.vertices.empty()) return std::nullopt;
    const Eigen::Vector3d normal = normalUnder(shot, thing, frame);
    double lowest = 1e300;
    for (const Eigen::Vector3d& v : shape.vertices) lowest = std::min(lowest, normal.dot(world->point(v)));
    // A plane goes through the origin of its axes, the ground through the world's.
    return lowest - normal.dot(axes->translation);
}

Thing bottomOnSurface(const Shot& shot, const Thing& thing, double above, int frame) {
    const auto now = bottomOverSurface(shot, thing, frame);
    if (!now) return thing;
    Similarity next = *PlacedThings(shot, frame).of(thing);
    next.translation += (above - *now) * normalUnder(shot, thing, frame);
    return movedTo(shot, thing, next, frame);
}

void setPosition(Thing& thing, int frame, const Eigen::Vector3d& position) {
    if (thing.keys.position.empty()) thing.position = position;
    else thing.keys.position.keys.set(frame, position);
}

void setRotation(Thing& thing, int frame, const Eigen::Quaterniond& rotation) {
    if (thing.keys.turn.empty()) thing.rotation = rotation.normalized();
    else thing.keys.turn.keys.set(frame, turnNear(turnOf(rotation), thing.keys.turn.at(frame)));
}

void setScale(Thing& thing, int frame, double scale) {
    if (!(scale > 0) || !std::isfinite(scale)) return;
    if (thing.keys.scale.empty()) thing.scale = scale;
    else thing.keys.scale.keys.set(frame, scale);
}

void setVisible(Thing& thing, int frame, bool visible) {
    if (thing.keys.visible.empty()) {
        thing.visible = visible;
    } else {
        thing.keys.visible.keys.set(frame, visible ? 1 : 0);
        for (const auto& k : std::vector(thing.keys.visible.keys.keys()))
            thing.keys.visible.keys.setBetween(k.frame, Between::hold);
    }
}

void setKey(Thing& thing, int frame) {
    const Similarity here = thing.at(frame);
    const Eigen::Vector3d turn = thing.keys.turn.empty() ? turnOf(here.rotation) : thing.keys.turn.at(frame);
    const auto set = [&](auto& keys, const auto& value) {
        keys.set(frame, value);
        // A move that begins and ends softly is what is wanted most.
        if (keys.size() == 1) keys.setBetween(frame, Between::smooth);
    };
    set(thing.keys.position.keys, here.translation);
    set(thing.keys.turn.keys, turn);
    set(thing.keys.scale.keys, here.scale);
}

void removeKey(Thing& thing, int frame) {
    // What the last key said stays.
    const Similarity here = thing.at(frame);
    const bool visible = thing.visibleAt(frame);
    const Eigen::Vector4d colour = thing.colourAt(frame);
    ThingKeys::each(thing.keys, [&](const char*, const char*, auto& animated) { animated.keys.remove(frame); });
    if (thing.keys.position.empty()) thing.position = here.translation;
    if (thing.keys.turn.empty()) thing.rotation = here.rotation;
    if (thing.keys.scale.empty()) thing.scale = here.scale;
    if (thing.keys.visible.empty()) thing.visible = visible;
    if (thing.keys.colour.empty()) thing.colour = colour;
}

std::vector<int> keyFrames(const Thing& thing) {
    std::set<int> out;
    ThingKeys::each(thing.keys, [&](const char*, const char*, const auto& animated) {
        for (const auto& k : animated.keys) out.insert(k.frame);
    });
    return {out.begin(), out.end()};
}

std::string hangWordsOf(const Shot& shot, const Hang& hang) {
    const auto named = [](const auto* what, const char* gone) { return what ? what->name : std::string(gone); };
    switch (hang.on) {
        case Hang::On::world: return text("the world");
        case Hang::On::ground: return text("the ground");
        case Hang::On::point: {
            const Path* p = shot.path(hang.id);
            return p && !p->name.empty() ? p->name : text("feature %d", hang.id);
        }
        case Hang::On::middle: return text("the middle of %zu features", hang.paths.size());
        case Hang::On::surface: return text("the plane through %zu features", hang.paths.size());
        case Hang::On::plane: return named(shot.groundSpec.plane(hang.id), "?");
        case Hang::On::thing: return named(shot.thing(hang.id), "?");
        case Hang::On::mover: return named(shot.mover(hang.id), "?");
        case Hang::On::patch: {
            const FlatPatch* p = shot.patch(hang.id);
            return p && patchDistanceAssumed(shot, *p)
                       ? text("%s, which moves by itself, at the distance of the features around it", p->name.c_str())
                       : named(p, "?");
        }
        case Hang::On::camera: return text("the camera");
    }
    return {};
}

std::string placeText(const Thing& thing, int frame) { return textOfTransform(thing.at(frame)); }

std::string thingTrouble(const Shot& shot, const Thing& thing) {
    if (std::string trouble = troubleOf(thing.kind); !trouble.empty()) return trouble;
    bool anywhere = false;
    for (const int frame : {shot.range.first, (shot.range.first + shot.range.last) / 2, shot.range.last})
        anywhere = anywhere || PlacedThings(shot, frame).of(thing);
    for (int frame = shot.range.first; !anywhere && frame <= shot.range.last; ++frame)
        anywhere = PlacedThings(shot, frame).of(thing).has_value();
    if (!anywhere && shot.hasWorld())
        return text("\"%s\" hangs on %s, which is not in this solve. Re-place it.", thing.name.c_str(),
                    hangWordsOf(shot, thing.hang).c_str());
    if (const auto* card = std::get_if<Card>(&thing.kind); card && !card->file.empty())
        if (const auto moving = assets().moving(card->file); moving.rate && !(*moving.rate == shot.rate()))
            return text(
                "The card's movie has %s fps, the plate %s fps: it plays frame for frame, %.0f %% as fast. Convert "
                "the movie where its speed matters.",
                moving.rate->label().c_str(), shot.rate().label().c_str(),
                100 * shot.rate().value() / moving.rate->value());
    return {};
}

}  // namespace va
