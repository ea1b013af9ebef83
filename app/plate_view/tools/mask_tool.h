// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "plate_view/tools/canvas_tool.h"

namespace va {

/// Draws masks and shapes them: clicks set corners, a drag while setting one distorts the outline there; the first
/// point or Return closes it. A closed mask's points and handles are dragged in any frame, which makes a key there.
class MaskTool : public CanvasTool {
  public:
    using CanvasTool::CanvasTool;
    bool press(QMouseEvent* event) override;
    bool move(QMouseEvent* event) override;
    bool release(QMouseEvent* event) override;
    bool doubleClick(QMouseEvent* event) override;
    [[nodiscard]] bool wantsKey(const QKeyEvent& event) const override;
    bool key(QKeyEvent* event) override;
    void paint(QPainter& painter) override;
    [[nodiscard]] QString hint() const override;
    void leave() override;

  private:
    enum class Grab { nothing, point, in, out, whole };
    [[nodiscard]] const MaskShape* selected() const { return document_.shot().mask(document_.selectedMask()); }
    [[nodiscard]] std::vector<MaskPoint> shown() const;
    void close();
    std::vector<MaskPoint> drawn_;    ///< of a mask that is not closed yet
    std::vector<MaskPoint> dragged_;  ///< of the selected mask while something is dragged
    bool distorting_ = false;
    Grab grab_ = Grab::nothing;
    int point_ = -1;  ///< the one in hand, or selected last
    QPointF last_;
    Eigen::Vector2d pointer_ = Eigen::Vector2d::Zero();
};

/// All masks of the shot in the current frame, the selected one stronger; for the canvas, whatever tool is in hand.
void drawMasks(QPainter& painter, const PlateCanvas& canvas, const Document& document, const FeatureEdits& edits);

}  // namespace va
