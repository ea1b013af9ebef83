// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "plate_view/tools/canvas_tool.h"

namespace va {

/// Places features by hand, under the loupe, and sets the size of patch and search area by dragging their edges.
/// Arrow keys move the selected feature by a tenth of a pixel, with shift by one.
class HandTool : public CanvasTool {
  public:
    using CanvasTool::CanvasTool;
    bool press(QMouseEvent* event) override;
    bool move(QMouseEvent* event) override;
    bool release(QMouseEvent* event) override;
    [[nodiscard]] bool wantsKey(const QKeyEvent& event) const override;
    bool key(QKeyEvent* event) override;
    void paint(QPainter& painter) override;
    [[nodiscard]] QString hint() const override;
    void leave() override { drag_ = Drag::nothing; }

  private:
    enum class Drag { nothing, fresh, spot, patch, search };
    /// The selected feature's position here, or nothing.
    [[nodiscard]] const PathPoint* spot() const;
    [[nodiscard]] Drag edgeAt(const QPointF& at) const;
    [[nodiscard]] int radius(const Path& path) const;
    [[nodiscard]] int searchRadius(const Path& path) const;
    Drag drag_ = Drag::nothing;
    Eigen::Vector2d at_ = Eigen::Vector2d::Zero(), grabbed_ = Eigen::Vector2d::Zero();
    QPointF last_;
    int draggedRadius_ = 0;
};

}  // namespace va
