// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/error_map_overlay.h"

#include <algorithm>

#include "plate_view/plate_canvas.h"
#include "style/theme.h"

namespace va {

void ErrorMapOverlay::paint(QPainter& painter, const PlateCanvas& canvas, const Document& document) {
    const Shot& shot = document.shot();
    if (of_ != shot.solve) {
        of_ = shot.solve;
        map_ = errorMap(solveErrors(*shot.solve, *shot.paths), shot.plate.width, shot.plate.height);
    }
    constexpr double enlarged = 200;
    for (int row = 0; row < map_.rows; ++row)
        for (int column = 0; column < map_.columns; ++column) {
            const ErrorMap::Cell& c = map_.at(column, row);
            if (c.paths == 0) continue;
            const double x = (column + 0.5) * shot.plate.width / map_.columns,
                         y = (row + 0.5) * shot.plate.height / map_.rows;
            const QPointF from = canvas.fromPixel(x, y),
                          to = canvas.fromPixel(x + enlarged * c.mean.x(), y + enlarged * c.mean.y());
            // The disc is what chance gives: only what leads out of it says something.
            const double chance = QLineF(from, canvas.fromPixel(x + enlarged * 2 * c.sigma, y)).length();
            painter.setPen(QPen(QColor(255, 255, 255, 110), 1));
            painter.setBrush(QColor(20, 21, 22, 70));
            painter.drawEllipse(from, chance, chance);
            const QColor colour = residualColour(std::min(1.0, c.mean.norm() / std::max(1e-9, 6 * c.sigma)));
            painter.setPen(QPen(QColor(0, 0, 0, 150), 4));
            painter.drawLine(from, to);
            painter.setPen(QPen(colour, 2));
            painter.drawLine(from, to);
            painter.setPen(Qt::NoPen);
            painter.setBrush(colour);
            painter.drawEllipse(to, 2.5, 2.5);
        }
}

}  // namespace va
