// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPolygonF>

#include "plate_view/tools/canvas_tool.h"

namespace va {

/// Selects the features of the frame inside of an outline; with Shift they join the selection.
class LassoTool : public CanvasTool {
  public:
    using CanvasTool::CanvasTool;
    bool press(QMouseEvent* event) override;
    bool move(QMouseEvent* event) override;
    bool release(QMouseEvent* event) override;
    void paint(QPainter& painter) override;
    void leave() override { outline_.clear(), drawing_ = false; }

  private:
    bool drawing_ = false;
    QPolygonF outline_;
};

}  // namespace va
