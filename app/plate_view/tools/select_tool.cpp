// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/select_tool.h"

#include "plate_view/plate_canvas.h"

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
    const bool more = event->modifiers() & (Qt::ShiftModifier | Qt::ControlModifier);
    if (const int path = canvas_.pathAt(pressed_); path != 0) {
        document_.selectPaths({path}, more ? Document::Combine::toggle : Document::Combine::replace);
    } else if (const int thing = canvas_.thingAt(pressed_)) {
        document_.selectThing(thing);
        if (const auto under = canvas_.groundAt(pressed_)) {
            dragged_ = thing;
            place_ = document_.shot().thing(thing)->position;
            offset_ = place_ - *under;
        }
    } else if (!more) {
        document_.selectPaths({});
    }
    return true;
}

bool SelectTool::move(QMouseEvent* event) {
    if (turning_) {
        if (const auto under = canvas_.groundAt(event->position())) drag_ = dragTo(gizmo_, *under);
        canvas_.update();
        return true;
    }
    if (const GizmoPart had = gizmo_; had != (gizmo_ = canvas_.gizmoAt(event->position()))) canvas_.update();
    if (dragged_ == 0) return false;
    if (const auto under = canvas_.groundAt(event->position())) place_ = *under + offset_;
    canvas_.showMoved(dragged_, place_);
    return true;
}

bool SelectTool::release(QMouseEvent* event) {
    if (turning_) {
        const WorldDrag drag = drag_;
        leave();
        if ((event->position() - pressed_).manhattanLength() > 3 && canvas_.ground())
            canvas_.ground()->moveByHand(-drag.origin, -drag.turn);
        return true;
    }
    if (dragged_ == 0) return false;
    const int thing = dragged_;
    leave();
    if ((event->position() - pressed_).manhattanLength() > 3) document_.moveThing(thing, place_);
    return true;
}

void SelectTool::leave() {
    dragged_ = 0;
    turning_ = false;
    gizmo_ = GizmoPart::none;
    drag_ = {};
    canvas_.showMoved(0, Eigen::Vector3d::Zero());
}

}  // namespace va
