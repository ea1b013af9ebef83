// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/world_gizmo.h"

#include <cmath>

#include "plate_view/overlays/notices.h"
#include "style/theme.h"

namespace va {
namespace {

constexpr double armPx = 72, grabPx = 10;  ///< screen px

Eigen::Vector3d armOf(GizmoPart part, double length, const WorldDrag& drag) {
    const Eigen::Vector3d axis = part == GizmoPart::x ? Eigen::Vector3d::UnitX() : Eigen::Vector3d::UnitZ();
    return drag.origin + length * (Eigen::AngleAxisd(drag.turn, Eigen::Vector3d::UnitY()) * axis);
}

}  // namespace

double gizmoLength(const Document& document, double pxPerPlatePixel) {
    const auto camera = document.shot().cameraAt(document.frame());
    const double footprint = camera ? camera->footprint(Eigen::Vector3d::Zero()) : 0;
    return footprint * armPx / std::max(1e-6, pxPerPlatePixel);
}

void drawWorldGizmo(QPainter& painter, const Projector& project, double length, const WorldDrag& drag, GizmoPart hot) {
    const auto origin = project(drag.origin);
    if (!origin || !(length > 0)) return;
    const Theme& theme = Theme::current();
    const auto stroke = [&](const Eigen::Vector3d& to, const QColor& colour, double width) {
        for (const QPen& pen : {QPen(QColor(0, 0, 0, 150), width + 2), QPen(colour, width)}) {
            painter.setPen(pen);
            drawLine3d(painter, project, drag.origin, to, 8);
        }
    };
    painter.setFont(captionFont());
    const QColor plain(240, 240, 240);
    stroke(drag.origin + Eigen::Vector3d(0, 0.6 * length, 0), plain, 1.2);
    for (const auto& [part, letter] : {std::pair(GizmoPart::x, "X"), std::pair(GizmoPart::z, "Z")}) {
        const Eigen::Vector3d tip = armOf(part, length, drag);
        stroke(tip, hot == part ? theme.accent : plain, 2);
        if (const auto at = project(tip)) {
            QRectF box = painter.fontMetrics().boundingRect(QLatin1String(letter)).adjusted(-4, -1, 4, 1);
            box.moveCenter(*at);
            drawTag(painter, box, QLatin1String(letter));
        }
    }
    painter.setPen(QPen(QColor(0, 0, 0, 170), 3));
    painter.setBrush(Qt::NoBrush);
    painter.drawEllipse(*origin, 6, 6);
    painter.setPen(QPen(theme.accent, hot == GizmoPart::origin ? 2.4 : 1.6));
    painter.drawEllipse(*origin, 6, 6);
}

GizmoPart gizmoPartAt(const Projector& project, double length, const QPointF& at) {
    if (!(length > 0)) return GizmoPart::none;
    const auto near = [&](const Eigen::Vector3d& p) {
        const auto q = project(p);
        return q && QLineF(*q, at).length() < grabPx;
    };
    if (near(Eigen::Vector3d::Zero())) return GizmoPart::origin;
    for (const GizmoPart part : {GizmoPart::x, GizmoPart::z})
        if (near(armOf(part, length, {}))) return part;
    return GizmoPart::none;
}

WorldDrag dragTo(GizmoPart part, const Eigen::Vector3d& p) {
    switch (part) {
        case GizmoPart::none: break;
        case GizmoPart::origin: return {{p.x(), 0, p.z()}, 0};
        case GizmoPart::x: return {Eigen::Vector3d::Zero(), std::atan2(-p.z(), p.x())};
        case GizmoPart::z: return {Eigen::Vector3d::Zero(), std::atan2(p.x(), p.z())};
    }
    return {};
}

}  // namespace va
