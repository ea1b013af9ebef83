// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/layout_edits.h"

#include <algorithm>
#include <cmath>

#include "base/by_id.h"
#include "base/error.h"
#include "ground/transform_text.h"
#include "layout/assets.h"
#include "layout/repeat.h"
#include "workflow/place_things.h"

namespace va {

std::vector<int> LayoutEdits::selectedFeatures() const {
    std::vector<int> out(document_.selectedPaths().begin(), document_.selectedPaths().end());
    std::sort(out.begin(), out.end());
    return out;
}

int LayoutEdits::place(const ThingKind& kind, const LayoutPlace& place) {
    std::string words;
    const Thing thing = newThing(document_.shot(), kind, place, document_.frame(), &words);
    int id = 0;
    const Shot next = withThing(document_.shot(), thing, &id);
    document_.edit(tr("Place %1").arg(QString::fromLatin1(kindLabel(kind)).toLower()), next);
    document_.selectThing(id);
    if (const std::string trouble = thingTrouble(document_.shot(), *document_.shot().thing(id)); !trouble.empty())
        Q_EMIT document_.troubled(QString::fromStdString(trouble));
    else if (!words.empty()) Q_EMIT said(QString::fromStdString(words));
    Q_EMIT putOnSurface(id);
    return id;
}

void LayoutEdits::takeFileSize() {
    edit(tr("Size of the file"), [](const Thing& t) {
        Thing next = t;
        auto* mesh = std::get_if<Mesh>(&next.kind);
        const auto file = mesh ? assets().mesh(mesh->file) : nullptr;
        if (!file) throw InputError(tr("Select a mesh first.").toStdString());
        mesh->size = file->metresPerUnit.value_or(1);
        return next;
    });
}

bool LayoutEdits::mayChange(const Thing& thing) {
    if (!PlacedThings(document_.shot(), document_.frame()).locked(thing)) return true;
    Q_EMIT document_.troubled(
        tr("\"%1\" is locked. Unlock it in the list first.").arg(QString::fromStdString(thing.name)));
    return false;
}

void LayoutEdits::change(const QString& name, const Thing& thing, const QString& merge) {
    const Thing* now = document_.shot().thing(thing.id);
    if (!now || *now == thing || !mayChange(*now)) return;
    Shot next = document_.shot();
    for (Thing& t : next.things)
        if (t.id == thing.id) t = thing;
    document_.edit(name, next, merge);
}

void LayoutEdits::edit(const QString& name, const std::function<Thing(const Thing&)>& how) {
    const Thing* t = current();
    if (!t) return Q_EMIT document_.troubled(tr("Select a thing first: in a view, or in the list of things."));
    try {
        change(name, how(*t));
    } catch (const Error& e) {
        Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
    }
}

void LayoutEdits::rename(const QString& name) {
    const Thing* t = current();
    if (!t || t->name == name.toStdString()) return;
    try {
        document_.edit(tr("Rename thing"), withName(document_.shot(), t->id, name.toStdString()));
    } catch (const Error& e) {
        Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
    }
}

void LayoutEdits::remove() {
    Shot next = document_.shot();
    int removed = 0;
    for (const int id : document_.selectedThings()) {
        const Thing* t = next.thing(id);
        if (!t || !mayChange(*t)) continue;
        next = withoutThing(next, id);
        ++removed;
    }
    if (removed > 0) document_.edit(removed == 1 ? tr("Remove thing") : tr("Remove %1 things").arg(removed), next);
}

void LayoutEdits::setStance(Stance stance) {
    const QString names[] = {tr("Stand"), tr("Lie"), tr("Face the camera")};
    edit(names[int(stance)], [&](const Thing& t) { return inStance(document_.shot(), t, stance, document_.frame()); });
}

void LayoutEdits::nextStance() {
    const Thing* t = current();
    if (!t) return setStance(Stance::stand);
    // The one after that which it has now.
    int now = -1;
    for (const Stance s : {Stance::face, Stance::lie, Stance::stand})
        if (inStance(document_.shot(), *t, s, document_.frame())
                .at(document_.frame())
                .rotation.angularDistance(t->at(document_.frame()).rotation) < 1e-4)
            now = int(s);
    for (int step = 1; step <= 3; ++step) {
        const auto next = Stance((std::max(now, -1) + step) % 3);
        const Thing as = inStance(document_.shot(), *t, next, document_.frame());
        if (as == *t) continue;
        return setStance(next);
    }
}

void LayoutEdits::settle() {
    if (const Thing* t = current()) Q_EMIT putOnSurface(t->id);
}

void LayoutEdits::quarterTurn() {
    edit(tr("Quarter turn"), [&](const Thing& t) {
        Thing next = t;
        const Eigen::Quaterniond turn(Eigen::AngleAxisd(M_PI / 2, Eigen::Vector3d::UnitY()));
        setRotation(next, document_.frame(), t.at(document_.frame()).rotation * turn);
        return next;
    });
}

void LayoutEdits::bottomToSurface(double above) {
    edit(tr("Bottom to surface"),
         [&](const Thing& t) { return bottomOnSurface(document_.shot(), t, above, document_.frame()); });
}

void LayoutEdits::hairOff() {
    constexpr double hair = 0.002;
    edit(tr("A hair off the surface"), [&](const Thing& t) {
        const Shot& shot = document_.shot();
        double above = hair;
        if (!shot.ground->metric) {
            const auto camera = shot.worldPose(document_.frame());
            const auto at = PlacedThings(shot, document_.frame()).of(t);
            if (!camera || !at) throw InputError(tr("The thing has no place in this frame.").toStdString());
            above = hair / 10 * (at->translation - camera->position).norm();
        }
        return bottomOnSurface(shot, t, above, document_.frame());
    });
}

void LayoutEdits::snapTo(Snap target) {
    edit(tr("Snap"), [&](const Thing& t) {
        const Shot& shot = document_.shot();
        const PlacedThings placed(shot, document_.frame());
        auto world = placed.of(t);
        if (!world) throw InputError(tr("The thing has no place in this frame.").toStdString());
        std::optional<Eigen::Vector3d> best;
        const auto offer = [&](const Eigen::Vector3d& p) {
            if (!best || (p - world->translation).norm() < (*best - world->translation).norm()) best = p;
        };
        switch (target) {
            case Snap::feature:
                for (const SolvedPoint& p : shot.solve->points) offer(shot.worldPoint(p));
                break;
            case Snap::anchor:
                for (const Thing& other : shot.things)
                    if (std::holds_alternative<Anchor>(other.kind) && other.id != t.id)
                        if (const auto at = placed.of(other)) offer(at->translation);
                break;
            case Snap::planeEdge:
                for (const TakenPlane& plane : shot.ground->planes) {
                    const auto corners = plane.surface.corners();
                    for (size_t i = 0; i < 4; ++i) {
                        const Eigen::Vector3d a = shot.ground->worldFromSolve.point(corners[i]),
                                              b = shot.ground->worldFromSolve.point(corners[(i + 1) % 4]);
                        const double along = std::clamp(
                            (world->translation - a).dot(b - a) / std::max(1e-12, (b - a).squaredNorm()), 0.0, 1.0);
                        offer(a + along * (b - a));
                    }
                }
                break;
        }
        if (!best)
            throw InputError(target == Snap::feature ? tr("There is no solved feature to snap to.").toStdString()
                             : target == Snap::anchor
                                 ? tr("There is no other anchor to snap to.").toStdString()
                                 : tr("No plane is kept: keep one in the step Ground.").toStdString());
        world->translation = *best;
        return movedTo(shot, t, *world, document_.frame());
    });
}

void LayoutEdits::alongTwoFeatures() {
    edit(tr("Turn along two features"), [&](const Thing& t) {
        const Shot& shot = document_.shot();
        std::vector<Eigen::Vector3d> points;
        for (const int id : selectedFeatures())
            if (const auto p = shot.worldPointOfPath(id)) points.push_back(*p);
        if (points.size() != 2)
            throw InputError(tr("Select two solved features with the thing: it turns along them.").toStdString());
        auto world = PlacedThings(shot, document_.frame()).of(t);
        if (!world) return t;
        world->rotation = alignedAlong(world->rotation, points[0], points[1]);
        return movedTo(shot, t, *world, document_.frame());
    });
}

void LayoutEdits::rePlaceOnSelection(bool surface, Offsets offsets) {
    edit(tr("Re-place"), [&](const Thing& t) {
        const Shot& shot = document_.shot();
        const std::vector<int> features = selectedFeatures();
        if (const QSet<int> others = document_.selectedThings() - QSet<int>{t.id};
            features.empty() && others.size() == 1) {
            LayoutPlace on{{Hang::On::thing, *others.begin(), {}}, Eigen::Vector3d::Zero(), Eigen::Vector3d::UnitY()};
            if (const auto axes = PlacedThings(shot, document_.frame()).axesOf(on.hang)) {
                on.foot = axes->translation;
                on.normal = axes->rotation * Eigen::Vector3d::UnitY();
            }
            return replaced(shot, t, on, offsets, document_.frame());
        }
        const LayoutPlace place = surface ? surfaceOf(shot, features) : middleOf(shot, features);
        return replaced(shot, t, place, offsets, document_.frame());
    });
}

void LayoutEdits::rePlace(const Hang& hang, Offsets offsets) {
    edit(tr("Re-place"), [&](const Thing& t) {
        const Shot& shot = document_.shot();
        LayoutPlace place{hang, Eigen::Vector3d::Zero(), Eigen::Vector3d::UnitY()};
        if (const auto axes = PlacedThings(shot, document_.frame()).axesOf(hang)) {
            place.foot = axes->translation;
            if (hang.on == Hang::On::surface || hang.on == Hang::On::plane || hang.on == Hang::On::patch)
                place.normal = axes->rotation * Eigen::Vector3d::UnitY();
        }
        return replaced(shot, t, place, offsets, document_.frame());
    });
}

void LayoutEdits::neighboursInstead() {
    edit(tr("Hang on the plane of its neighbours"), [&](const Thing& t) {
        const Shot& shot = document_.shot();
        const auto world = PlacedThings(shot, document_.frame()).of(t);
        if (!world) return t;
        std::optional<LayoutPlace> place;
        // The frame in hand first, then any that sees it.
        std::vector<int> frames{document_.frame()};
        for (const SolvedFrame& f : shot.solve->frames) frames.push_back(f.frame);
        for (const int frame : frames) {
            const auto camera = shot.cameraAt(frame);
            const auto pixel = camera ? camera->project(world->translation) : std::nullopt;
            if (!pixel) continue;
            place = placeAt(shot, frame, *pixel);
            if (place && place->hang.on == Hang::On::surface) break;
        }
        if (!place || place->hang.on != Hang::On::surface)
            throw InputError(tr("No plane fits the features around it. Add features beside it, or hang it on a plane "
                                "that you keep in the step Ground.")
                                 .toStdString());
        return replaced(shot, t, *place, Offsets::inPlace, document_.frame());
    });
}

QString LayoutEdits::placeText(PlacePart part) const {
    const Thing* t = current();
    if (!t) return {};
    QStringList lines = QString::fromStdString(va::placeText(*t, document_.frame())).split('\n', Qt::SkipEmptyParts);
    const QString wanted = part == PlacePart::position   ? QStringLiteral("position")
                           : part == PlacePart::rotation ? QStringLiteral("rotation")
                                                         : QString();
    lines.removeIf([&](const QString& line) { return !line.startsWith(wanted); });
    return lines.join('\n') + '\n';
}

void LayoutEdits::pastePlace(const QString& content) {
    edit(tr("Paste place"), [&](const Thing& t) {
        const Similarity place = transformFromText(content.toStdString());
        Thing next = t;
        const int frame = document_.frame();
        const auto has = [&](const char* key) { return content.contains(QLatin1String(key)); };
        if (has("position")) setPosition(next, frame, place.translation);
        if (has("rotation")) setRotation(next, frame, place.rotation);
        if (has("scale")) setScale(next, frame, place.scale);
        return next;
    });
}

void LayoutEdits::add(const QString& name, const std::vector<Similarity>& places) {
    const Thing* t = current();
    if (!t || places.empty()) return;
    Shot next = document_.shot();
    for (const Similarity& p : places) {
        Thing copy = *t;
        copy.keys = {};
        copy.position = p.translation;
        copy.rotation = p.rotation;
        copy.scale = p.scale;
        next = withThing(next, copy);
    }
    document_.edit(name, next);
}

void LayoutEdits::repeatByStep(int count, const Eigen::Vector3d& step) {
    if (const Thing* t = current())
        add(tr("Repeat %1 times").arg(count), va::repeatedByStep(t->at(document_.frame()), count, step));
}

void LayoutEdits::repeatAlongFeatures(int count) {
    const Shot& shot = document_.shot();
    const Thing* t = current();
    std::vector<Eigen::Vector3d> points;
    for (const int id : selectedFeatures())
        if (const auto p = shot.worldPointOfPath(id)) points.push_back(*p);
    const auto axes = t ? PlacedThings(shot, document_.frame()).axesOf(t->hang) : std::nullopt;
    if (points.size() != 2 || !axes)
        return Q_EMIT document_.troubled(
            tr("Select two solved features with the thing: the copies stand at even steps from one to the other."));
    const Similarity back = axes->inverse();
    add(tr("Repeat %1 times").arg(count),
        va::repeatedAlong(t->at(document_.frame()), count, back.point(points[0]), back.point(points[1])));
}

void LayoutEdits::repeatAround(int count, double degrees) {
    // About the upright through the origin of what it hangs on.
    if (const Thing* t = current())
        add(tr("Repeat %1 times").arg(count),
            va::repeatedAround(t->at(document_.frame()), count, Eigen::Vector3d::Zero(), Eigen::Vector3d::UnitY(),
                               degrees));
}

void LayoutEdits::setKey() {
    edit(tr("Set key"), [&](const Thing& t) {
        Thing next = t;
        va::setKey(next, document_.frame());
        return next;
    });
}

void LayoutEdits::setVisibleKey() {
    edit(tr("Key of the eye"), [&](const Thing& t) {
        Thing next = t;
        const FrameRange range = document_.shot().range;
        if (next.keys.visible.empty() && document_.frame() > range.first)
            next.keys.visible.keys.set(range.first, t.visible ? 1 : 0);
        const bool seen = t.visibleAt(document_.frame());
        next.visible = true;
        next.keys.visible.keys.set(document_.frame(), seen ? 0 : 1);
        va::setVisible(next, document_.frame(), !seen);
        return next;
    });
}

void LayoutEdits::setColourKey() {
    edit(tr("Key of the colour"), [&](const Thing& t) {
        Thing next = t;
        next.keys.colour.keys.set(document_.frame(), t.colourAt(document_.frame()));
        return next;
    });
}

void LayoutEdits::removeKey() {
    edit(tr("Remove key"), [&](const Thing& t) {
        Thing next = t;
        va::removeKey(next, document_.frame());
        return next;
    });
}

void LayoutEdits::setOutside(const char* key, bool after, Outside outside) {
    edit(tr("Before and after the keys"), [&](const Thing& t) {
        Thing next = t;
        ThingKeys::each(next.keys, [&](const char* word, const char*, auto& animated) {
            if (!animated.empty() && (!key || std::string_view(word) == key))
                (after ? animated.after : animated.before) = outside;
        });
        return next;
    });
}

void LayoutEdits::setBetween(Between between) {
    edit(tr("Between keys"), [&](const Thing& t) {
        Thing next = t;
        ThingKeys::each(next.keys, [&](const char*, const char*, auto& animated) {
            const auto* key = animated.keys.atOrBefore(document_.frame());
            if (!key && !animated.empty()) key = &animated.keys.front();
            if (key) animated.keys.setBetween(key->frame, between);
        });
        return next;
    });
}

void LayoutEdits::shiftKeys(int frames) {
    edit(tr("Shift keys"), [&](const Thing& t) {
        Thing next = t;
        ThingKeys::each(next.keys,
                        [&](const char*, const char*, auto& animated) { animated.keys.retime(0, 1, frames); });
        return next;
    });
}

void LayoutEdits::stretchKeys(double factor) {
    const Thing* t = current();
    const std::vector<int> frames = t ? keyFrames(*t) : std::vector<int>();
    if (frames.empty() || !(std::fabs(factor) > 1e-6))
        return Q_EMIT document_.troubled(tr("Select a thing with keys first."));
    edit(tr("Stretch keys"), [&](const Thing& thing) {
        Thing next = thing;
        ThingKeys::each(next.keys, [&](const char*, const char*, auto& animated) {
            animated.keys.retime(frames.front(), factor, 0);
        });
        return next;
    });
}

void LayoutEdits::moveKey(int from, int to) {
    edit(tr("Move key"), [&](const Thing& t) {
        Thing next = t;
        ThingKeys::each(next.keys, [&](const char*, const char*, auto& animated) {
            const auto* value = animated.keys.key(from);
            if (!value) return;
            const auto between = animated.keys.atOrBefore(from)->between;
            const auto kept = *value;
            animated.keys.remove(from);
            animated.keys.set(to, kept);
            animated.keys.setBetween(to, between);
        });
        return next;
    });
}

void LayoutEdits::copyKeys() {
    if (const Thing* t = current()) copiedKeys_ = t->keys, copiedFrom_ = t->at(document_.shot().range.first);
}

void LayoutEdits::pasteKeys() {
    edit(tr("Paste keys"), [&](const Thing& t) {
        Thing next = t;
        // It goes as the other one went, from where it stands itself.
        const Similarity here = t.at(document_.shot().range.first);
        next.keys = copiedKeys_;
        next.keys.position.keys.forEach([&](Eigen::Vector3d& p) { p += here.translation - copiedFrom_.translation; });
        return next;
    });
}

void LayoutEdits::setParent(const QSet<int>& things, int parent) {
    Shot next = document_.shot();
    int moved = 0;
    try {
        for (const int id : things) {
            const Thing* t = next.thing(id);
            if (!t || t->parent() == parent || id == parent || !mayChange(*t)) continue;
            const Hang hang = parent != 0 ? Hang{Hang::On::thing, parent, {}} : Hang();
            const Thing hung = replaced(next, *t, {hang, Eigen::Vector3d::Zero(), Eigen::Vector3d::UnitY()},
                                        Offsets::inPlace, document_.frame());
            for (Thing& each : next.things)
                if (each.id == id) each = hung;
            ++moved;
        }
    } catch (const Error& e) {
        return Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
    }
    if (moved > 0) document_.edit(tr("Hang on another thing"), next);
}

void LayoutEdits::setVisible(int thing, bool on) {
    Shot next = document_.shot();
    for (Thing& t : next.things)
        if (t.id == thing) va::setVisible(t, document_.frame(), on);
    document_.edit(on ? tr("Show thing") : tr("Hide thing"), next);
}

void LayoutEdits::setLocked(int thing, bool on) {
    Shot next = document_.shot();
    for (Thing& t : next.things)
        if (t.id == thing) t.locked = on;
    document_.edit(on ? tr("Lock thing") : tr("Unlock thing"), next);
}

void LayoutEdits::group() {
    const QSet<int> chosen = document_.selectedThings();
    if (chosen.isEmpty()) return Q_EMIT document_.troubled(tr("Select the things to group first."));
    Shot next = document_.shot();
    const PlacedThings placed(next, document_.frame());
    Eigen::Vector3d middle = Eigen::Vector3d::Zero();
    int count = 0;
    for (const int id : chosen)
        if (const auto at = placed.of(*next.thing(id))) middle += at->translation, ++count;
    if (count == 0) return;
    Thing group;
    group.kind = Group();
    group.name = "group";
    group.position = middle / count;
    int id = 0;
    next = withThing(next, group, &id);
    try {
        for (const int thing : chosen) {
            const Thing hung = replaced(next, *next.thing(thing),
                                        {{Hang::On::thing, id, {}}, Eigen::Vector3d::Zero(), Eigen::Vector3d::UnitY()},
                                        Offsets::inPlace, document_.frame());
            for (Thing& t : next.things)
                if (t.id == thing) t = hung;
        }
    } catch (const Error& e) {
        return Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
    }
    document_.edit(tr("Group things"), next);
    document_.selectThing(id);
}

void LayoutEdits::setLayers(const QString& name, const CameraLayers& layers) {
    if (document_.shot().layers == layers) return;
    Shot next = document_.shot();
    next.layers = layers;
    document_.edit(name, next, "layers");
}

}  // namespace va
