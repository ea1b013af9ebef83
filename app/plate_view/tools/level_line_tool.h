// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "ground/level.h"
#include "plate_view/tools/canvas_tool.h"

namespace va {

/// Draws a line in the frame that tells the level: an upright edge, or the horizon.
class LevelLineTool : public CanvasTool {
  public:
    LevelLineTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits, LevelKind kind)
        : CanvasTool(canvas, document, edits), kind_(kind) {}
    bool press(QMouseEvent* event) override;
    bool move(QMouseEvent* event) override;
    bool release(QMouseEvent* event) override;
    void paint(QPainter& painter) override;
    [[nodiscard]] QString hint() const override;
    void leave() override { drawing_ = false; }

  protected:
    /// What a stroke is for, px of the plate.
    virtual void drawn(const Eigen::Vector2d& from, const Eigen::Vector2d& to);

  private:
    LevelKind kind_;
    bool drawing_ = false;
    QPointF from_, to_;
};

class UprightTool : public LevelLineTool {
  public:
    UprightTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits)
        : LevelLineTool(canvas, document, edits, LevelKind::upright) {}
};

/// Draws along an edge on the ground, which the world then faces along; with Shift along X instead of Z.
class GroundEdgeTool : public LevelLineTool {
  public:
    GroundEdgeTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits)
        : LevelLineTool(canvas, document, edits, LevelKind::floor) {}
    bool release(QMouseEvent* event) override;
    [[nodiscard]] QString hint() const override;

  protected:
    void drawn(const Eigen::Vector2d& from, const Eigen::Vector2d& to) override;

  private:
    bool alongX_ = false;
};

class HorizonTool : public LevelLineTool {
  public:
    HorizonTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits)
        : LevelLineTool(canvas, document, edits, LevelKind::horizon) {}
};

}  // namespace va
