// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "plate_view/tools/canvas_tool.h"

namespace va {

/// Puts the kind that was taken from the tray where a click says, and gives the mouse back to selecting.
class PlaceTool : public CanvasTool {
  public:
    using CanvasTool::CanvasTool;
    bool press(QMouseEvent* event) override;
    bool move(QMouseEvent* event) override;
    bool release(QMouseEvent*) override { return true; }
    bool key(QKeyEvent* event) override;
    [[nodiscard]] bool wantsKey(const QKeyEvent& event) const override { return event.key() == Qt::Key_Escape; }
    [[nodiscard]] QString hint() const override;
    void leave() override;
};

}  // namespace va
