// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/undistorted_view.h"

#include <cstring>

#include "lens/resample.h"
#include "style/theme.h"

namespace va {

void UndistortedView::prepare(const Intrinsics& lens, int width, int height) {
    const bool same = width == width_ && height == height_ && lens.lens == lens_.lens &&
                      lens.focalPx == lens_.focalPx && lens.pixelAspect == lens_.pixelAspect &&
                      lens.principalPoint == lens_.principalPoint;
    if (same) return;
    frame_ = undistortedFrame(lens, width, height, Overscan::whole, 4);
    map_ = undistortionMap(lens, frame_, width, height);
    lens_ = lens;
    width_ = width;
    height_ = height;
    shown_.reset();
}

Eigen::Vector2d UndistortedView::undistorted(const Eigen::Vector2d& plate) const {
    const auto n = lens_.normalisedFromPixel(plate);
    if (!n) return plate + 4 * (plate - lens_.principalPoint);
    Intrinsics plain = lens_;
    plain.lens = LensModel{};
    return plain.pixelFromDistorted(*n);
}

Eigen::Vector2d UndistortedView::distorted(const Eigen::Vector2d& undistorted) const {
    return lens_.pixelFromNormalised(lens_.distortedFromPixel(undistorted));
}

const QImage& UndistortedView::picture(const std::shared_ptr<const DisplayPicture>& plate) {
    if (plate == shown_ && !image_.isNull()) return image_;
    Picture8 bytes(plate->width, plate->height);
    std::memcpy(bytes.data.data(), plate->data.data(), bytes.data.size());
    const Picture8 out = resample(bytes, map_, Filter::bicubic, Edge::hold);
    image_ = QImage(out.data.data(), out.width, out.height, out.width * 4, QImage::Format_ARGB32_Premultiplied).copy();
    shown_ = plate;
    return image_;
}

void drawLensGrid(QPainter& painter, const Intrinsics& lens, int width, int height,
                  const std::function<QPointF(const Eigen::Vector2d&)>& position) {
    // Straight lines between the corners of the plate's middle part, a little beyond its edges.
    Intrinsics plain = lens;
    plain.lens = LensModel{};
    const double fold = 0.98 * lens.lens.foldRadius();
    const auto line = [&](const Eigen::Vector2d& from, const Eigen::Vector2d& to) {
        QPolygonF run;
        for (int i = 0; i <= 48; ++i) {
            const Eigen::Vector2d n = plain.distortedFromPixel(from + (to - from) * (i / 48.0));
            if (n.norm() > fold) continue;
            run << position(lens.pixelFromNormalised(n));
        }
        for (const auto& [colour, wide] :
             {std::pair(QColor(0, 0, 0, 110), 2.4), std::pair(Theme::current().teal, 1.0)}) {
            QColor c = colour;
            if (wide == 1.0) c.setAlpha(170);
            painter.setPen(QPen(c, wide));
            painter.drawPolyline(run);
        }
    };
    painter.setBrush(Qt::NoBrush);
    const double over = 0.25;
    for (int i = -1; i <= 9; ++i) {
        const double x = (width - 1) * i / 8.0;
        line({x, -over * height}, {x, (1 + over) * height});
    }
    const int rows = std::max(2, int(std::lround(8.0 * height / width)));
    for (int i = -1; i <= rows + 1; ++i) {
        const double y = (height - 1) * i / double(rows);
        line({-over * width, y}, {(1 + over) * width, y});
    }
}

}  // namespace va
