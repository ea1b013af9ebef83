// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "plate_view/tools/canvas_tool.h"

namespace va {

/// Puts a test box on the ground by a click, and gives the mouse back to selecting.
class BoxTool : public CanvasTool {
  public:
    using CanvasTool::CanvasTool;
    bool press(QMouseEvent* event) override;
    bool move(QMouseEvent*) override { return false; }
    bool release(QMouseEvent*) override { return false; }
    [[nodiscard]] QString hint() const override;
};

}  // namespace va
