// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "plate_view/overlays/world_gizmo.h"
#include "plate_view/tools/canvas_tool.h"

namespace va {

/// Selects features and things by a click, and drags things over the ground; in the step Ground the world's origin and
/// axes as well.
class SelectTool : public CanvasTool {
  public:
    using CanvasTool::CanvasTool;
    bool press(QMouseEvent* event) override;
    bool move(QMouseEvent* event) override;
    bool release(QMouseEvent* event) override;
    [[nodiscard]] Qt::CursorShape cursor() const override { return Qt::ArrowCursor; }
    void leave() override;

    /// The part of the world's gizmo under the pointer or being dragged, and what the drag makes of the world.
    [[nodiscard]] GizmoPart gizmo() const { return gizmo_; }
    [[nodiscard]] const WorldDrag& worldDrag() const { return drag_; }

  private:
    GizmoPart gizmo_ = GizmoPart::none;
    bool turning_ = false;  ///< the gizmo is being dragged
    WorldDrag drag_;
    int dragged_ = 0;  ///< id of a thing
    QPointF pressed_;
    Eigen::Vector3d offset_ = Eigen::Vector3d::Zero(), place_ = Eigen::Vector3d::Zero();
};

}  // namespace va
