// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "plate_view/tools/canvas_tool.h"

namespace va {

/// Draws flat patches by dragging a rectangle and pulling its corners to where they belong; in other frames than the
/// reference, pulling a corner corrects what tracking found.
class PatchTool : public CanvasTool {
  public:
    using CanvasTool::CanvasTool;
    bool press(QMouseEvent* event) override;
    bool move(QMouseEvent* event) override;
    bool release(QMouseEvent* event) override;
    [[nodiscard]] bool wantsKey(const QKeyEvent& event) const override;
    bool key(QKeyEvent* event) override;
    void paint(QPainter& painter) override;
    [[nodiscard]] QString hint() const override;
    void leave() override { drawing_ = false, corner_ = -1; }

  private:
    [[nodiscard]] const FlatPatch* selected() const { return document_.shot().patch(document_.selectedPatch()); }
    bool drawing_ = false;
    int corner_ = -1;
    Eigen::Vector2d begin_ = Eigen::Vector2d::Zero(), end_ = Eigen::Vector2d::Zero();
    Corners dragged_;
    QPointF last_;
};

/// All patches of the shot in the current frame.
void drawPatches(QPainter& painter, const PlateCanvas& canvas, const Document& document);

}  // namespace va
