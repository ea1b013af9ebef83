// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/lasso_tool.h"

#include "plate_view/plate_canvas.h"
#include "style/theme.h"

namespace va {

bool LassoTool::press(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return false;
    drawing_ = true;
    outline_ = QPolygonF({event->position()});
    return true;
}

bool LassoTool::move(QMouseEvent* event) {
    if (!drawing_) return false;
    outline_ << event->position();
    canvas_.update();
    return true;
}

bool LassoTool::release(QMouseEvent* event) {
    if (!drawing_) return false;
    document_.selectPaths(canvas_.pathsInside(outline_),
                          event->modifiers() & Qt::ShiftModifier ? Document::Combine::add : Document::Combine::replace);
    leave();
    canvas_.update();
    return true;
}

void LassoTool::paint(QPainter& painter) {
    if (outline_.size() < 2) return;
    const QColor accent = Theme::current().accent;
    painter.setPen(QPen(accent, 1.2, Qt::DashLine));
    painter.setBrush(QColor(accent.red(), accent.green(), accent.blue(), 30));
    painter.drawPolygon(outline_);
}

}  // namespace va
