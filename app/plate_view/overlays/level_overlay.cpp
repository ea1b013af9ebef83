// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/level_overlay.h"

#include "plate_view/overlays/notices.h"
#include "style/theme.h"

namespace va {

void drawLevelLines(QPainter& painter, const PlateCanvas& canvas, const Document& document) {
    const Shot& shot = document.shot();
    const Theme& theme = Theme::current();
    const auto draw = [&](const PictureLine& line, const QColor& colour, double width) {
        const QPointF a = canvas.fromPixel(line.a.x(), line.a.y()), b = canvas.fromPixel(line.b.x(), line.b.y());
        painter.setPen(QPen(QColor(0, 0, 0, 140), width + 2));
        painter.drawLine(a, b);
        painter.setPen(QPen(colour, width));
        painter.drawLine(a, b);
        return (a + b) / 2;
    };
    if (shot.groundSpec.level.empty())
        for (const PictureLine& line : shot.uprights)
            if (line.frame == document.frame()) draw(line, QColor(255, 255, 255, 120), 1);
    painter.setFont(captionFont());
    for (size_t i = 0; i < shot.groundSpec.level.size(); ++i) {
        const LevelEvidence& e = shot.groundSpec.level[i];
        if (!e.paths.empty() || e.line.frame != document.frame()) continue;
        const QPointF at = draw(e.line, theme.accent, 2);
        if (i >= shot.ground->evidence.size()) continue;
        const QString words = QObject::tr("%1° off").arg(shot.ground->evidence[i].misfitDeg, 0, 'f', 2);
        QRectF box = painter.fontMetrics().boundingRect(words).adjusted(-5, -2, 5, 2);
        box.moveTopLeft(at + QPointF(8, -8));
        drawTag(painter, box, words);
    }
}

}  // namespace va
