// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/edge_tool.h"

#include <algorithm>
#include <cmath>

#include "plate_view/overlays/edge_overlay.h"
#include "plate_view/overlays/loupe.h"
#include "plate_view/plate_canvas.h"
#include "style/theme.h"

namespace va {
namespace {

constexpr double leastStroke = 12;  ///< screen px; shorter is a click

}  // namespace

bool EdgeTool::press(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || event->modifiers() & Qt::AltModifier || !document_.shot().hasPlate())
        return false;
    drawing_ = true;
    pressed_ = now_ = event->position();
    return true;
}

bool EdgeTool::move(QMouseEvent* event) {
    now_ = event->position();
    const int before = hovered_;
    hovered_ = drawing_ ? 0 : EdgeOverlay::edgeAt(canvas_, document_, now_);
    if (drawing_ || before != hovered_) canvas_.update();
    return drawing_;
}

bool EdgeTool::release(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !drawing_) return false;
    drawing_ = false;
    if (QLineF(pressed_, event->position()).length() >= leastStroke)
        lensEdits_.drawEdge(inPicture(pressed_), inPicture(event->position()));
    else if (const int id = EdgeOverlay::edgeAt(canvas_, document_, event->position())) lensEdits_.toggleEdge(id);
    canvas_.update();
    return true;
}

bool EdgeTool::wantsKey(const QKeyEvent& event) const {
    return hovered_ != 0 && (event.key() == Qt::Key_Delete || event.key() == Qt::Key_Backspace);
}

bool EdgeTool::key(QKeyEvent* event) {
    if (!wantsKey(*event)) return false;
    lensEdits_.removeEdge(hovered_);
    hovered_ = 0;
    return true;
}

void EdgeTool::paint(QPainter& painter) {
    if (!drawing_ || QLineF(pressed_, now_).length() < leastStroke) return;
    const Theme& theme = Theme::current();
    painter.setPen(QPen(QColor(0, 0, 0, 150), 3));
    painter.drawLine(pressed_, now_);
    painter.setPen(QPen(theme.accent, 1.4, Qt::DashLine));
    painter.drawLine(pressed_, now_);
    // Both ends belong right on the edge: the loupe shows where this one is.
    if (const auto picture = canvas_.cache() ? canvas_.cache()->picture(document_.frame()) : nullptr) {
        const Eigen::Vector2d at = inPicture(now_);
        drawLoupe(painter, *picture, at, document_.shot().pixelAspect(), 6,
                  QPointF(now_.x() > canvas_.width() / 2.0 ? 14 : canvas_.width() - loupeSide - 14, 14),
                  QObject::tr("%1 · %2").arg(at.x(), 0, 'f', 1).arg(at.y(), 0, 'f', 1));
    }
}

QString EdgeTool::hint() const {
    if (drawing_) return QObject::tr("End on the same edge: the stroke snaps to it");
    return hovered_ != 0 ? QObject::tr("Click to accept or release, Delete to remove")
                         : QObject::tr("Draw along a straight edge, or click one");
}

}  // namespace va
