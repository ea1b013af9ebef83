// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/place_tool.h"

#include "plate_view/plate_canvas.h"

namespace va {

bool PlaceTool::press(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton && canvas_.dropThing(canvas_.kindInHand(), event->position()))
        canvas_.setTool(PlateTool::select);
    return true;
}

bool PlaceTool::move(QMouseEvent* event) {
    canvas_.showGhost(&canvas_.kindInHand(), event->position());
    return false;
}

bool PlaceTool::key(QKeyEvent* event) {
    if (event->key() != Qt::Key_Escape) return false;
    canvas_.setTool(PlateTool::select);
    return true;
}

QString PlaceTool::hint() const {
    return QObject::tr("Click on the ground or on a surface to place: %1 · Esc puts it back")
        .arg(QObject::tr(kindLabel(canvas_.kindInHand())).toLower());
}

void PlaceTool::leave() { canvas_.showGhost(nullptr, {}); }

}  // namespace va
