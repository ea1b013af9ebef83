// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/select_tool.h"

#include "plate_view/plate_canvas.h"
#include "workflow/place_things.h"

namespace va {

bool SelectTool::press(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return false;
    pressed_ = event->position();
    gizmo_ = canvas_.gizmoAt(pressed_);
    if (gizmo_ != GizmoPart::none) {
        turning_ = true;
        drag_ = {};
        return true;
    }
    if (const ThingPart part = canvas_.thingGizmo().partAt(canvas_.projectorNow(), pressed_); part != ThingPart::none)
        return begin(document_.selectedThing(), part);
    const bool more = event->modifiers() & (Qt::ShiftModifier | Qt::ControlModifier);
    if (const int path = canvas_.pathAt(pressed_); path != 0) {
        document_.selectPaths({path}, more ? Document::Combine::toggle : Document::Combine::replace);
    } else if (const int thing = canvas_.thingAt(pressed_)) {
        if (!document_.selectedThings().contains(thing)) document_.selectThing(thing);
        return begin(thing, ThingPart::body);
    } else if (!more) {
        document_.selectPaths({});
    }
    return true;
}

bool SelectTool::begin(int id, ThingPart part) {
    const Thing* thing = document_.shot().thing(id);
    const auto ray = canvas_.rayAt(pressed_);
    if (!thing || !ray) return true;
    if (PlacedThings(document_.shot(), document_.frame()).locked(*thing)) {
        lockedAsked_ = true;
        return true;
    }
    thing_ = ThingDrag(document_.shot(), document_.frame(), *thing, part, *ray);
    return true;
}

bool SelectTool::move(QMouseEvent* event) {
    if (turning_) {
        if (const auto under = canvas_.groundAt(event->position())) drag_ = dragTo(gizmo_, *under);
        canvas_.update();
        return true;
    }
    const bool far = (event->position() - pressed_).manhattanLength() > 3;
    if (lockedAsked_ && far && event->buttons() & Qt::LeftButton) {
        lockedAsked_ = false;
        const Thing* t = document_.shot().thing(document_.selectedThing());
        Q_EMIT document_.troubled(QObject::tr("\"%1\" is locked. Unlock it in the list first.")
                                      .arg(t ? QString::fromStdString(t->name) : QString()));
    }
    if (thing_.part() != ThingPart::none) {
        if (const auto ray = canvas_.rayAt(event->position()))
            canvas_.showMoved(&thing_.to(document_.shot(), *ray, event->modifiers()));
        return true;
    }
    if (const GizmoPart had = gizmo_; had != (gizmo_ = canvas_.gizmoAt(event->position()))) canvas_.update();
    canvas_.setHotPart(canvas_.thingGizmo().partAt(canvas_.projectorNow(), event->position()));
    return false;
}

bool SelectTool::release(QMouseEvent* event) {
    lockedAsked_ = false;
    const bool far = (event->position() - pressed_).manhattanLength() > 3;
    if (turning_) {
        const WorldDrag drag = drag_;
        leave();
        if (far && canvas_.ground()) canvas_.ground()->moveByHand(-drag.origin, -drag.turn);
        return true;
    }
    if (thing_.part() == ThingPart::none) return false;
    const ThingDrag done = thing_;
    leave();
    if (far && canvas_.layout())
        canvas_.layout()->change(
            done.part() == ThingPart::heading ? QObject::tr("Turn thing") : QObject::tr("Move thing"), done.thing());
    return true;
}

void SelectTool::leave() {
    thing_ = {};
    turning_ = false;
    lockedAsked_ = false;
    gizmo_ = GizmoPart::none;
    drag_ = {};
    canvas_.showMoved(nullptr);
}

}  // namespace va
