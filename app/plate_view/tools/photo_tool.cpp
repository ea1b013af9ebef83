// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/photo_tool.h"

#include "plate_view/overlays/loupe.h"
#include "plate_view/overlays/photo_overlay.h"
#include "plate_view/plate_canvas.h"
#include "style/theme.h"

namespace va {
namespace {

constexpr double shortestStroke = 14;  ///< screen px

}  // namespace

PhotoEdits* PhotoTool::photo() const { return canvas_.photo(); }

bool PhotoTool::press(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !photo()) return false;
    if (!photo()->available()) {
        Q_EMIT document_.troubled(QObject::tr(
            "This shot is solved by its motion. Use \"Match this frame as a photo\" to match a single frame instead."));
        return true;
    }
    from_ = now_ = event->position();
    held_ = photoHandleAt(canvas_, document_, from_);
    if (photo()->placing()) {
        photo()->addSpot(inPicture(from_));
        return true;
    }
    if (held_) {
        dragging_ = true;
        photo()->beginDrag();
        if (held_.kind == PhotoHandle::Kind::spot) photo()->chooseSpot(int(held_.index));
    } else {
        drawing_ = true;
    }
    return true;
}

bool PhotoTool::move(QMouseEvent* event) {
    const QPointF before = now_;
    now_ = event->position();
    if (dragging_) {
        photo()->drag(held_, inPicture(now_) - inPicture(before));
        return true;
    }
    if (!drawing_) {
        const PhotoHandle had = held_;
        held_ = photoHandleAt(canvas_, document_, now_);
        if (had == held_) return false;
    }
    canvas_.update();
    return drawing_;
}

bool PhotoTool::release(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return false;
    if (dragging_) {
        dragging_ = false;
        if (QLineF(from_, event->position()).length() > 0) photo()->endDrag();
        return true;
    }
    if (!drawing_) return false;
    drawing_ = false;
    if (QLineF(from_, event->position()).length() >= shortestStroke)
        photo()->addLine(inPicture(from_), inPicture(event->position()), event->modifiers() & Qt::ShiftModifier);
    canvas_.update();
    return true;
}

bool PhotoTool::wantsKey(const QKeyEvent& event) const {
    if (event.modifiers() & ~Qt::KeypadModifier) return false;
    switch (event.key()) {
        case Qt::Key_X:
        case Qt::Key_Y:
        case Qt::Key_Z: return true;
        case Qt::Key_Delete:
        case Qt::Key_Backspace: return bool(held_);
        default: return false;
    }
}

bool PhotoTool::key(QKeyEvent* event) {
    if (!wantsKey(*event) || !photo()) return false;
    switch (event->key()) {
        case Qt::Key_X: photo()->setAxis(PhotoAxis::x); break;
        case Qt::Key_Y: photo()->setAxis(PhotoAxis::y); break;
        case Qt::Key_Z: photo()->setAxis(PhotoAxis::z); break;
        default: photo()->remove(held_); held_ = {};
    }
    canvas_.update();
    return true;
}

void PhotoTool::leave() {
    drawing_ = dragging_ = false;
    held_ = {};
    if (photo()) photo()->setPlacing(false);
}

void PhotoTool::paint(QPainter& painter) {
    if (!drawing_ && !dragging_) return;
    if (drawing_ && QLineF(from_, now_).length() >= shortestStroke) {
        painter.setPen(QPen(QColor(0, 0, 0, 150), 3));
        painter.drawLine(from_, now_);
        painter.setPen(QPen(Theme::current().accent, 1.6, Qt::DashLine));
        painter.drawLine(from_, now_);
    }
    if (const auto picture = canvas_.cache() ? canvas_.cache()->picture(document_.frame()) : nullptr) {
        const Eigen::Vector2d at = inPicture(now_);
        drawLoupe(painter, *picture, at, document_.shot().pixelAspect(), 6,
                  QPointF(now_.x() > canvas_.width() / 2.0 ? 14 : canvas_.width() - loupeSide - 14, 14),
                  QObject::tr("%1 · %2").arg(at.x(), 0, 'f', 1).arg(at.y(), 0, 'f', 1));
    }
}

QString PhotoTool::hint() const {
    if (!photo()) return {};
    if (photo()->placing()) return QObject::tr("Click the known point");
    if (held_ && !dragging_) return QObject::tr("Drag to mend, Delete to remove");
    const QString axes[] = {QObject::tr("X, across"), QObject::tr("Y, upright"), QObject::tr("Z, away")};
    return QObject::tr("Draw a line along %1 · keys X, Y, Z · Shift: no snapping").arg(axes[size_t(photo()->axis())]);
}

}  // namespace va
