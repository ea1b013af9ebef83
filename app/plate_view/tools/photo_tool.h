// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "document/photo_edits.h"
#include "plate_view/tools/canvas_tool.h"

namespace va {

/// Draws and mends what a picture is matched by: a stroke is a line along the axis in hand (X, Y and Z choose it),
/// ends, corners and points are dragged, Delete removes what is under the pointer.
class PhotoTool : public CanvasTool {
  public:
    using CanvasTool::CanvasTool;
    bool press(QMouseEvent* event) override;
    bool move(QMouseEvent* event) override;
    bool release(QMouseEvent* event) override;
    [[nodiscard]] bool wantsKey(const QKeyEvent& event) const override;
    bool key(QKeyEvent* event) override;
    void paint(QPainter& painter) override;
    [[nodiscard]] QString hint() const override;
    void leave() override;
    [[nodiscard]] const PhotoHandle& held() const { return held_; }

  private:
    [[nodiscard]] PhotoEdits* photo() const;
    PhotoHandle held_;  ///< under the pointer, or being dragged
    bool drawing_ = false, dragging_ = false;
    QPointF from_, now_;
};

}  // namespace va
