// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "plate_view/tools/canvas_tool.h"

namespace va {

/// Selects features and things by a click, and drags things over the ground.
class SelectTool : public CanvasTool {
  public:
    using CanvasTool::CanvasTool;
    bool press(QMouseEvent* event) override;
    bool move(QMouseEvent* event) override;
    bool release(QMouseEvent* event) override;
    [[nodiscard]] Qt::CursorShape cursor() const override { return Qt::ArrowCursor; }
    void leave() override;

  private:
    int dragged_ = 0;  ///< id of a thing
    QPointF pressed_;
    Eigen::Vector3d offset_ = Eigen::Vector3d::Zero(), place_ = Eigen::Vector3d::Zero();
};

}  // namespace va
