// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/post_shadow.h"

#include "plate_view/plate_canvas.h"
#include "style/theme.h"

namespace va {
namespace {

/// A line on something, as far as it is seen.
void drawSeen(QPainter& painter, const PlateCanvas& canvas, const FrameCamera& camera, const Eigen::Vector3d& from,
              const Eigen::Vector3d& to, const QColor& colour, double width) {
    QPolygonF line;
    constexpr int pieces = 24;
    for (int i = 0; i <= pieces; ++i) {
        const auto px = camera.project(from + double(i) / pieces * (to - from));
        if (!px) break;
        line << canvas.fromPixel(px->x(), px->y());
    }
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(QColor(0, 0, 0, 120), width + 2, Qt::SolidLine, Qt::RoundCap));
    painter.drawPolyline(line);
    painter.setPen(QPen(colour, width, Qt::SolidLine, Qt::RoundCap));
    painter.drawPolyline(line);
}

}  // namespace

void drawPostShadow(QPainter& painter, const PlateCanvas& canvas, const Document& document) {
    const Shot& shot = document.shot();
    const auto camera = shot.hasWorld() ? shot.cameraAt(document.frame()) : std::nullopt;
    const Eigen::Vector3d& sun = shot.proof.sun.toSun;
    if (!camera || !(sun.y() > 0.01)) return;
    for (const double down : {0.7, 0.8, 0.9}) {
        const auto ray = camera->ray({shot.plate.width * 0.5, shot.plate.height * down});
        if (!ray || ray->direction.y() > -0.01) continue;
        const double far = -ray->origin.y() / ray->direction.y();
        if (!(far > 0)) continue;
        const Eigen::Vector3d foot = ray->at(far);
        // Without a scale as high as the camera: that is often held by a person.
        const double high = shot.ground->metric ? 1.8 : std::fabs(ray->origin.y());
        const Eigen::Vector3d top = foot + high * Eigen::Vector3d::UnitY();
        drawSeen(painter, canvas, *camera, foot, top - high / sun.y() * sun, QColor(0, 0, 0, 190), 5);
        drawSeen(painter, canvas, *camera, foot, top, Theme::current().accent, 3);
        return;
    }
}

}  // namespace va
