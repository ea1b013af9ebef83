// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/slip_overlay.h"

#include <algorithm>
#include <cmath>

#include "style/theme.h"

namespace va {

void drawSlip(QPainter& painter, const PlateCanvas& canvas, const SlipWatch::Found& slip, const Projector& project) {
    std::vector<QPointF> drawn;
    for (const SlipWatch::Spot& spot : slip.ground) {
        const auto at = project(spot.world);
        if (!at || !canvas.rect().contains(at->toPoint())) continue;
        // Far away they would lie on top of each other.
        if (std::any_of(drawn.begin(), drawn.end(), [&](const QPointF& p) {
                return std::fabs(p.x() - at->x()) < 22 && std::fabs(p.y() - at->y()) < 11;
            }))
            continue;
        drawn.push_back(*at);
        const double share = std::min(1.0, spot.slipPx / slip.groundLimitPx);
        // Small crosses that lie on the ground, sized by the slip as well as coloured.
        const double r = 3 + 4 * share;
        painter.setPen(QPen(QColor(0, 0, 0, 110), 3));
        for (int halo = 1; halo >= 0; --halo) {
            if (!halo) painter.setPen(QPen(residualColour(share), 1.6));
            painter.drawLine(*at + QPointF(-r, 0), *at + QPointF(r, 0));
            painter.drawLine(*at + QPointF(0, -r / 2), *at + QPointF(0, r / 2));
        }
    }
}

}  // namespace va
