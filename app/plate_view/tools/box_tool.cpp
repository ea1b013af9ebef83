// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/box_tool.h"

#include "plate_view/plate_canvas.h"

namespace va {

bool BoxTool::press(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return false;
    if (const auto place = canvas_.groundAt(event->position())) {
        document_.addThing(Box(), *place);
        canvas_.setTool(PlateTool::select);
    } else {
        Q_EMIT document_.troubled(
            QObject::tr("There is no ground under the pointer in this frame. Solve the shot first, and click on the "
                        "floor below the horizon."));
    }
    return true;
}

QString BoxTool::hint() const { return QObject::tr("Click on the ground to place a box"); }

}  // namespace va
