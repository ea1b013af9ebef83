// SPDX-License-Identifier: GPL-3.0-or-later
#include "route/lamp.h"

#include "style/theme.h"

namespace va {

void drawLamp(QPainter& painter, const QPointF& at, Lamp lamp) {
    const Theme& theme = Theme::current();
    constexpr double r = 4;
    switch (lamp) {
        case Lamp::good:
            painter.setPen(Qt::NoPen);
            painter.setBrush(theme.good);
            painter.drawEllipse(at, r, r);
            break;
        case Lamp::look:
            painter.setPen(Qt::NoPen);
            painter.setBrush(theme.look);
            painter.drawPolygon(QPolygonF({at + QPointF(0, -5), at + QPointF(5.4, 4.4), at + QPointF(-5.4, 4.4)}));
            break;
        case Lamp::none:
            painter.setPen(QPen(theme.none, 1.4));
            painter.setBrush(Qt::NoBrush);
            painter.drawEllipse(at, r - 0.5, r - 0.5);
            break;
        case Lamp::stale:
            painter.setPen(QPen(theme.stale, 1.2));
            painter.setBrush(Qt::NoBrush);
            painter.drawEllipse(at, r, r);
            painter.setBrush(theme.stale);
            painter.drawPie(QRectF(at - QPointF(r, r), QSizeF(2 * r, 2 * r)), -90 * 16, 180 * 16);
            break;
    }
    painter.setBrush(Qt::NoBrush);
}

QPixmap lampPixmap(Lamp lamp, double devicePixelRatio) {
    QPixmap dot(QSize(12, 12) * devicePixelRatio);
    dot.setDevicePixelRatio(devicePixelRatio);
    dot.fill(Qt::transparent);
    QPainter painter(&dot);
    painter.setRenderHint(QPainter::Antialiasing);
    drawLamp(painter, QPointF(6, 6), lamp);
    return dot;
}

}  // namespace va
