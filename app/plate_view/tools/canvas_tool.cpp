// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/canvas_tool.h"

#include "plate_view/plate_canvas.h"

namespace va {

QPointF CanvasTool::onScreen(const Eigen::Vector2d& pixel) const { return canvas_.fromPixel(pixel.x(), pixel.y()); }
Eigen::Vector2d CanvasTool::inPicture(const QPointF& at) const {
    const QPointF p = canvas_.toPixel(at);
    return {p.x(), p.y()};
}

}  // namespace va
