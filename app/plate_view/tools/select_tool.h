// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "drawing/thing_drag.h"
#include "plate_view/overlays/world_gizmo.h"
#include "plate_view/tools/canvas_tool.h"

namespace va {

/// Selects features and things by a click, and drags things along what they stand on; in the step Ground the world's
/// origin and axes as well.
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
    bool begin(int thing, ThingPart part);
    GizmoPart gizmo_ = GizmoPart::none;
    bool turning_ = false;  ///< the gizmo is being dragged
    WorldDrag drag_;
    ThingDrag thing_;
    bool lockedAsked_ = false;  ///< a locked thing is pressed: a drag says so
    QPointF pressed_;
};

}  // namespace va
