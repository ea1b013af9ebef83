// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/loupe.h"

#include <cmath>

#include "style/theme.h"

namespace va {

void drawLoupe(QPainter& painter, const DisplayPicture& picture, const Eigen::Vector2d& at, double pixelAspect,
               int patchRadius, const QPointF& corner, const QString& label) {
    const Theme& theme = Theme::current();
    const QImage image(reinterpret_cast<const uchar*>(picture.data.data()), picture.width, picture.height,
                       picture.width * 4, QImage::Format_RGB32);
    const QRectF frame(corner, QSizeF(loupeSide, loupeSide));
    painter.save();
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme.well);
    painter.drawRoundedRect(frame.adjusted(-4, -4, 4, 24), 5, 5);
    painter.setClipRect(frame);
    // The picture moves under a marker that stands still: the eye rests on one place.
    const double zx = loupeZoom * pixelAspect, zy = loupeZoom;
    const QPointF middle = frame.center();
    const int reach = int(std::ceil(loupeSide / 2.0 / std::min(zx, zy))) + 2;
    const int x0 = std::max(0, int(std::floor(at.x())) - reach), y0 = std::max(0, int(std::floor(at.y())) - reach);
    const int x1 = std::min(picture.width, x0 + 2 * reach + 2), y1 = std::min(picture.height, y0 + 2 * reach + 2);
    if (x1 > x0 && y1 > y0) {
        const QRectF target(middle.x() + (x0 - 0.5 - at.x()) * zx, middle.y() + (y0 - 0.5 - at.y()) * zy,
                            (x1 - x0) * zx, (y1 - y0) * zy);
        painter.drawImage(target, image, QRectF(x0, y0, x1 - x0, y1 - y0));
    }
    painter.setRenderHint(QPainter::Antialiasing);
    const double px = (patchRadius + 0.5) * zx, py = (patchRadius + 0.5) * zy;
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(QColor(255, 255, 255, 90), 1));
    painter.drawRect(QRectF(middle.x() - px, middle.y() - py, 2 * px, 2 * py));
    // Gap in the middle: the position itself stays visible.
    for (const auto& [colour, width] : {std::pair(QColor(0, 0, 0, 150), 3.0), std::pair(theme.accent, 1.2)}) {
        painter.setPen(QPen(colour, width));
        for (const QPointF d : {QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)})
            painter.drawLine(middle + 5 * d, middle + 18 * d);
        painter.drawPoint(middle);
    }
    painter.setClipping(false);
    painter.setPen(QPen(theme.accent, 1.2));
    painter.drawRect(frame);
    painter.setFont(captionFont());
    painter.setPen(theme.text);
    painter.drawText(QRectF(frame.left(), frame.bottom() + 2, loupeSide, 18), Qt::AlignCenter, label);
    painter.restore();
}

}  // namespace va
