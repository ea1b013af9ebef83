// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawing/scene_drawing.h"


namespace va {
void drawLine3d(QPainter& painter, const Projector& project, const Eigen::Vector3d& a, const Eigen::Vector3d& b,
                int pieces) {
    std::optional<QPointF> last = project(a);
    for (int i = 1; i <= pieces; ++i) {
        const std::optional<QPointF> next = project(a + (b - a) * (double(i) / pieces));
        if (last && next) painter.drawLine(*last, *next);
        last = next;
    }
}

void drawGrid(QPainter& painter, const QColor& colour, const Projector& project, double step, int lines) {
    const double far = step * lines;
    for (int i = -lines; i <= lines; ++i) {
        QColor c = colour;
        if (i != 0) c.setAlphaF(colour.alphaF() * 0.6F);
        painter.setPen(QPen(c, 1));
        drawLine3d(painter, project, {i * step, 0, -far}, {i * step, 0, far}, 2 * lines);
        drawLine3d(painter, project, {-far, 0, i * step}, {far, 0, i * step}, 2 * lines);
    }
}

}  // namespace va
