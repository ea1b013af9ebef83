// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/check_points_overlay.h"

#include "plate_view/plate_canvas.h"
#include "style/theme.h"

namespace va {

void drawCheckPoints(QPainter& painter, const PlateCanvas& canvas, const Document& document) {
    const Shot& shot = document.shot();
    const Theme& theme = Theme::current();
    for (const CheckPoint& c : shot.checkPoints) {
        QPolygonF at;
        for (const int id : c.measure.paths) {
            const Path* path = shot.path(id);
            const PathPoint* p = path ? path->at(document.frame()) : nullptr;
            if (p) at << canvas.fromPixel(p->x, p->y);
        }
        if (at.isEmpty() || at.size() != qsizetype(c.measure.paths.size())) continue;
        QColor colour = theme.accent;
        if (!c.on) colour.setAlpha(90);
        painter.setPen(QPen(colour, 1.2, Qt::DotLine));
        painter.setBrush(Qt::NoBrush);
        if (c.measure.kind == PointTie::Kind::flat) painter.drawConvexPolygon(at);
        else if (at.size() > 1) painter.drawPolyline(at);
        painter.setPen(QPen(colour, 1.4));
        for (const QPointF& p : at) painter.drawRect(QRectF(p.x() - 5, p.y() - 5, 10, 10));
        const QPointF middle = at.boundingRect().center() + QPointF(9, -7);
        const QString name = QString::fromStdString(c.name);
        painter.setPen(QColor(0, 0, 0, 190));
        painter.drawText(middle + QPointF(1, 1), name);
        painter.setPen(colour);
        painter.drawText(middle, name);
    }
}

}  // namespace va
