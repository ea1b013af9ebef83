// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "plate_view/tools/canvas_tool.h"

namespace va {

/// Marks some places of the frame in hand one after the other; after the last one they are used together.
class MarksTool : public CanvasTool {
  public:
    MarksTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits, std::vector<QString> hints)
        : CanvasTool(canvas, document, edits), hints_(std::move(hints)) {}
    bool press(QMouseEvent* event) override;
    bool move(QMouseEvent* event) override;
    bool release(QMouseEvent*) override { return false; }
    void paint(QPainter& painter) override;
    [[nodiscard]] QString hint() const override { return hints_[std::min(marks_.size(), hints_.size() - 1)]; }
    void leave() override { marks_.clear(); }

  protected:
    virtual void marked(const std::vector<Eigen::Vector2d>& marks) = 0;
    std::vector<Eigen::Vector2d> marks_;

  private:
    std::vector<QString> hints_;
    int frame_ = 0;
    QPointF pointer_;
};

/// A post and its shadow: foot, top, tip of the shadow. The sun follows.
class PostTool : public MarksTool {
  public:
    PostTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits);
    void paint(QPainter& painter) override;

  protected:
    void marked(const std::vector<Eigen::Vector2d>& marks) override;
};

/// Two spots of one ground, in the light and in shadow: how dark the plate's shadow is.
class ShadowTool : public MarksTool {
  public:
    ShadowTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits);

  protected:
    void marked(const std::vector<Eigen::Vector2d>& marks) override;
};

/// Something grey in shadow: the colour of the sky's light.
class GreyTool : public MarksTool {
  public:
    GreyTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits);

  protected:
    void marked(const std::vector<Eigen::Vector2d>& marks) override;
};

/// Two dark spots, one near and one far: how thick the haze is, and its colour.
class HazeTool : public MarksTool {
  public:
    HazeTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits);

  protected:
    void marked(const std::vector<Eigen::Vector2d>& marks) override;
};

/// Where the plate shows the spot that is marked in the sky picture.
class SkySpotTool : public MarksTool {
  public:
    SkySpotTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits);

  protected:
    void marked(const std::vector<Eigen::Vector2d>& marks) override;
};

}  // namespace va
