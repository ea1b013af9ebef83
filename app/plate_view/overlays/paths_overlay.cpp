// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/paths_overlay.h"

#include <cmath>

#include "plate_view/plate_canvas.h"
#include "style/theme.h"

namespace va {

void drawPaths(QPainter& painter, const PlateCanvas& canvas, const Document& document, const PathIndex& index,
               const PathLook& look) {
    const Shot& shot = document.shot();
    const Theme& theme = Theme::current();
    const int tail = look.tail;
    // Thousands of paths: antialiased tails are most of the cost, and can't be told apart then anyway.
    const auto& seenHere = index.seenIn(document.frame());
    const bool crowded = seenHere.size() > 1500;
    const double scale = canvas.markScale();
    painter.setRenderHint(QPainter::Antialiasing, !crowded);
    for (const PathIndex::Seen& seen : seenHere) {
        const Path& path = (*shot.paths)[size_t(seen.path)];
        // The map is about positions in the picture: what is not selected would hide it.
        if (look.errorMap && !document.selectedPaths().contains(path.id)) continue;
        const PathPoint& p = path.points[size_t(seen.point)];
        const QPointF at = canvas.fromPixel(p.x, p.y);
        if (!canvas.rect().adjusted(-40, -40, 40, 40).contains(at.toPoint())) continue;
        const bool selected = document.selectedPaths().contains(path.id);
        if ((path.setAside || !p.counts()) && !selected) {
            if (!look.asideShown) continue;
            painter.setPen(Qt::NoPen);
            painter.setBrush(QColor(255, 255, 255, 90));
            painter.drawEllipse(at, 1.5, 1.5);
            continue;
        }
        QColor colour = theme.textSoft;
        const auto q = index.predicted(path.id);
        const auto mover = index.moverOf(path.id);
        if (q) {
            const Eigen::Vector2d off = *q - Eigen::Vector2d(p.x, p.y);
            colour = residualColour(off.norm());
            if (look.vectors) {
                constexpr double enlarged = 20;
                painter.setPen(QPen(QColor(0, 0, 0, 130), 3));
                const QPointF end = canvas.fromPixel(p.x + enlarged * off.x(), p.y + enlarged * off.y());
                painter.drawLine(at, end);
                painter.setPen(QPen(colour, 1.4));
                painter.drawLine(at, end);
            }
        } else if (shot.solve->has()) {
            colour = QColor(255, 255, 255, 90);  // tracked, but not used in this frame
        } else {
            colour = Qt::white;
        }
        // A fading tail: three strokes of falling strength instead of one a frame.
        const QColor tailColour = selected ? theme.accent : mover ? moverColour(*mover) : QColor(230, 232, 233);
        const int back = std::min(tail, seen.point), third = std::max(1, (back + 2) / 3);
        for (int from = 0, shade = 0; from < back; from += third, ++shade) {
            QPolygonF line;
            for (int k = from; k <= std::min(back, from + third); ++k) {
                const PathPoint& before = path.points[size_t(seen.point - k)];
                line << canvas.fromPixel(before.x, before.y);
            }
            QColor fading = tailColour;
            fading.setAlpha(170 - 60 * shade);
            painter.setPen(QPen(fading, crowded ? 0 : 1));
            painter.drawPolyline(line);
        }
        const double r = selected ? scale * look.markSize + 1.8 : scale * look.markSize;
        painter.setBrush(Qt::NoBrush);
        if (crowded && !selected) {
            painter.setPen(QPen(colour, 0));
            painter.drawRect(QRectF(at.x() - 2, at.y() - 2, 4, 4));
            continue;
        }
        painter.setPen(QPen(QColor(0, 0, 0, 130), 1.7 + 1.5 * scale));
        const auto ring = [&] {
            if (path.origin == PathOrigin::byHand)
                painter.drawPolygon(QPolygonF({at + QPointF(0, -r - 1), at + QPointF(r + 1, 0), at + QPointF(0, r + 1),
                                               at + QPointF(-r - 1, 0)}));
            else painter.drawEllipse(at, r, r);
        };
        ring();
        painter.setPen(QPen(selected ? theme.accent : colour, selected ? 2 : 0.5 + scale));
        ring();
        if (document.previewed().contains(path.id)) {
            // About to be set aside: struck through.
            painter.setPen(QPen(theme.look, 1.6));
            painter.drawLine(at + QPointF(-r - 3, r + 3), at + QPointF(r + 3, -r - 3));
        }
    }
    painter.setRenderHint(QPainter::Antialiasing);
}

void drawLegend(QPainter& painter, const PlateCanvas& canvas, const PathLook& look, double slipLimitPx) {
    painter.setFont(captionFont());
    const int w = 100, h = 6, x = canvas.width() - w - 46, y = canvas.height() - 20;
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 21, 22, 170));
    painter.drawRoundedRect(QRect(x - 76, y - 7, w + 118, 20), 4, 4);
    for (int i = 0; i < w; ++i) painter.fillRect(x + i, y, 1, h, residualColour(double(i) / w));
    painter.setPen(QColor("#d6d8da"));
    painter.drawText(QRect(x - 72, y - 7, 66, 20), Qt::AlignRight | Qt::AlignVCenter, QObject::tr("residual 0"));
    painter.drawText(QRect(x + w + 6, y - 7, 34, 20), Qt::AlignLeft | Qt::AlignVCenter, QObject::tr("1 px"));
    if (!look.slip && !look.vectors && !look.errorMap) return;
    QStringList more;
    if (look.errorMap) more << QObject::tr("mean error ×200, discs: chance");
    if (look.vectors) more << QObject::tr("vectors ×20");
    if (slipLimitPx > 0) more << QObject::tr("crosses: slip 0–%1 px").arg(slipLimitPx);
    const QString line = more.join(QStringLiteral(" · "));
    const int wide = painter.fontMetrics().horizontalAdvance(line) + 16;
    const QRect box(x + w + 42 - wide, y - 30, wide, 20);
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 21, 22, 170));
    painter.drawRoundedRect(box, 4, 4);
    painter.setPen(QColor("#d6d8da"));
    painter.drawText(box, Qt::AlignCenter, line);
}

}  // namespace va
