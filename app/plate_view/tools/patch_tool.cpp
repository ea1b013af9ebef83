// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/patch_tool.h"

#include <cmath>

#include "plate_view/overlays/loupe.h"
#include "plate_view/plate_canvas.h"
#include "style/theme.h"

namespace va {
namespace {

QPolygonF polygonOf(const Corners& c, const PlateCanvas& canvas) {
    QPolygonF out;
    for (const auto& p : c) out << canvas.fromPixel(p.x(), p.y());
    return out;
}

void drawQuad(QPainter& painter, const QPolygonF& quad, const QColor& colour, double width) {
    painter.setBrush(QColor(colour.red(), colour.green(), colour.blue(), 26));
    painter.setPen(QPen(QColor(0, 0, 0, 120), width + 1.8));
    painter.drawPolygon(quad);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(colour, width));
    painter.drawPolygon(quad);
    // Both diagonals' middle thirds left out: the surface stays to be seen, and a skewed quad shows at once.
    painter.setPen(QPen(QColor(colour.red(), colour.green(), colour.blue(), 130), 1));
    for (int i = 0; i < 4; ++i) painter.drawLine(quad[i], quad[i] + (quad[(i + 2) % 4] - quad[i]) / 6);
}

}  // namespace

bool PatchTool::press(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || event->modifiers() & Qt::AltModifier || !document_.shot().hasPlate())
        return false;
    last_ = event->position();
    if (const FlatPatch* p = selected())
        if (const auto corners = p->cornersAt(document_.frame()))
            for (int i = 0; i < 4; ++i)
                if (QLineF(onScreen((*corners)[size_t(i)]), event->position()).length() < 9) {
                    corner_ = i;
                    dragged_ = *corners;
                    return true;
                }
    for (const FlatPatch& p : document_.shot().patches)
        if (const auto corners = p.cornersAt(document_.frame());
            corners && polygonOf(*corners, canvas_).containsPoint(event->position(), Qt::OddEvenFill)) {
            document_.selectPatch(p.id);
            return true;
        }
    drawing_ = true;
    begin_ = end_ = inPicture(event->position());
    return true;
}

bool PatchTool::move(QMouseEvent* event) {
    if (drawing_) end_ = inPicture(event->position());
    else if (corner_ >= 0) {
        const double share = event->modifiers() & Qt::ControlModifier ? 0.1 : 1;
        dragged_[size_t(corner_)] += share * (inPicture(event->position()) - inPicture(last_));
        last_ = event->position();
    } else return false;
    canvas_.update();
    return true;
}

bool PatchTool::release(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return false;
    if (drawing_) {
        drawing_ = false;
        const Eigen::Vector2d a = begin_.cwiseMin(end_), b = begin_.cwiseMax(end_);
        if ((b - a).minCoeff() >= 12) edits_.addPatch({a, {b.x(), a.y()}, b, {a.x(), b.y()}});
        else document_.selectPatch(0);
    } else if (corner_ >= 0) {
        corner_ = -1;
        if (selected()) edits_.setPatchCorners(selected()->id, dragged_);
    } else return false;
    canvas_.update();
    return true;
}

bool PatchTool::wantsKey(const QKeyEvent& event) const {
    return selected() && (event.key() == Qt::Key_Delete || event.key() == Qt::Key_Backspace);
}

bool PatchTool::key(QKeyEvent* event) {
    if (!wantsKey(*event)) return false;
    edits_.removePatch(selected()->id);
    return true;
}

void PatchTool::paint(QPainter& painter) {
    const Theme& theme = Theme::current();
    if (drawing_) {
        const Eigen::Vector2d a = begin_.cwiseMin(end_), b = begin_.cwiseMax(end_);
        drawQuad(painter, polygonOf({a, {b.x(), a.y()}, b, {a.x(), b.y()}}, canvas_), theme.accent, 1.6);
        return;
    }
    const FlatPatch* p = selected();
    const auto corners = corner_ >= 0 ? std::optional(dragged_) : p ? p->cornersAt(document_.frame()) : std::nullopt;
    if (!corners) return;
    if (corner_ >= 0) drawQuad(painter, polygonOf(*corners, canvas_), theme.accent, 1.6);
    for (const auto& c : *corners) {
        painter.setPen(QPen(QColor(0, 0, 0, 160), 1));
        painter.setBrush(theme.accent);
        const QPointF at = onScreen(c);
        painter.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8));
    }
    if (corner_ < 0) return;
    const auto picture = canvas_.cache() ? canvas_.cache()->picture(document_.frame()) : nullptr;
    const Eigen::Vector2d at = dragged_[size_t(corner_)];
    if (picture)
        drawLoupe(painter, *picture, at, document_.shot().pixelAspect(), 6,
                  QPointF(onScreen(at).x() > canvas_.width() / 2.0 ? 14 : canvas_.width() - loupeSide - 14, 14),
                  QObject::tr("%1 · %2").arg(at.x(), 0, 'f', 2).arg(at.y(), 0, 'f', 2));
}

QString PatchTool::hint() const {
    const FlatPatch* p = selected();
    if (!p) return QObject::tr("Drag a rectangle over something flat");
    if (document_.frame() == p->referenceFrame) return QObject::tr("Pull the corners to where they belong, then track");
    return p->cornersAt(document_.frame()) ? QObject::tr("Pull a corner to correct it here")
                                           : QObject::tr("The patch was not tracked to this frame");
}

void drawPatches(QPainter& painter, const PlateCanvas& canvas, const Document& document) {
    const Theme& theme = Theme::current();
    for (const FlatPatch& p : document.shot().patches) {
        const auto corners = p.cornersAt(document.frame());
        if (!corners) continue;
        const bool selected = p.id == document.selectedPatch();
        const QPolygonF quad = polygonOf(*corners, canvas);
        drawQuad(painter, quad, selected ? theme.accent : theme.teal, selected ? 1.8 : 1.3);
        painter.setFont(captionFont());
        const QString text = QString::fromStdString(p.name);
        const QPointF at = quad[3] + QPointF(0, 14);
        painter.setPen(QColor(0, 0, 0, 180));
        painter.drawText(at + QPointF(1, 1), text);
        painter.setPen(QColor("#e6e8e9"));
        painter.drawText(at, text);
    }
}

}  // namespace va
