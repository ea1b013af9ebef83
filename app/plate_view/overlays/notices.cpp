// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/notices.h"

#include <algorithm>

#include "style/theme.h"

namespace va {

void drawNotice(QPainter& painter, const QRect& view, const QString& sentence) {
    painter.setFont(bodyFont());
    const QRect area = view.adjusted(24, 24, -24, -24);
    QRect text = painter.boundingRect(area, Qt::AlignCenter | Qt::TextWordWrap, sentence).adjusted(-12, -8, 12, 8);
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 21, 22, 200));
    painter.drawRoundedRect(text, 4, 4);
    painter.setPen(QColor("#d6d8da"));
    painter.drawText(area, Qt::AlignCenter | Qt::TextWordWrap, sentence);
}

void drawHint(QPainter& painter, const QRect& view, const QString& text) {
    painter.setFont(captionFont());
    const int wide = std::min(view.width() - 250, painter.fontMetrics().horizontalAdvance(text) + 20);
    const QRect box(10, view.height() - 28, std::max(120, wide), 20);
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 21, 22, 190));
    painter.drawRoundedRect(box, 4, 4);
    painter.setPen(QColor("#d6d8da"));
    painter.drawText(box.adjusted(10, 0, -6, 0), Qt::AlignVCenter | Qt::AlignLeft,
                     painter.fontMetrics().elidedText(text, Qt::ElideRight, box.width() - 16));
}

void drawWarningBand(QPainter& painter, const QRectF& picture, const QString& sentence) {
    const Theme& theme = Theme::current();
    painter.setFont(captionFont());
    const QRectF band(picture.left(), picture.top(), picture.width(), 24);
    QColor ground = theme.ground;
    ground.setAlpha(215);
    painter.fillRect(band, ground);
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme.look);
    const QPointF at = band.topLeft() + QPointF(14, 12);
    painter.drawPolygon(QPolygonF({at + QPointF(0, -5), at + QPointF(5, 4), at + QPointF(-5, 4)}));
    painter.setPen(theme.text);
    painter.drawText(band.adjusted(26, 0, -8, 0), Qt::AlignVCenter | Qt::AlignLeft, sentence);
}

void drawTag(QPainter& painter, const QRectF& box, const QString& words) {
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 21, 22, 204));
    painter.drawRoundedRect(box, 3, 3);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QColor("#e6e8e9"));
    painter.drawText(box, Qt::AlignCenter, words);
}

}  // namespace va
