// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "document/lens_edits.h"
#include "plate_view/tools/canvas_tool.h"

namespace va {

/// Accepts edges by a click and draws new ones by a stroke along them; Delete removes the one under the pointer.
class EdgeTool : public CanvasTool {
  public:
    using CanvasTool::CanvasTool;
    bool press(QMouseEvent* event) override;
    bool move(QMouseEvent* event) override;
    bool release(QMouseEvent* event) override;
    [[nodiscard]] bool wantsKey(const QKeyEvent& event) const override;
    bool key(QKeyEvent* event) override;
    void paint(QPainter& painter) override;
    [[nodiscard]] QString hint() const override;
    void leave() override { drawing_ = false, hovered_ = 0; }
    [[nodiscard]] int hovered() const { return hovered_; }

  private:
    LensEdits lensEdits_{document_};
    bool drawing_ = false;
    int hovered_ = 0;
    QPointF pressed_, now_;
};

}  // namespace va
