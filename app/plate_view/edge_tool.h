// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>

#include "document/lens_edits.h"
#include "lens/plumb_line.h"
#include "plate_view/canvas_tool.h"

namespace va {

/// The edges of a frame on the plate: proposals dashed, accepted ones whole, with how many px they are off straight as
/// the plate shows them and with the lens taken out. What was measured is kept while edge and lens stay.
class EdgeOverlay {
  public:
    /// `hovered` is the id of an edge whose numbers are shown although it is a proposal.
    void paint(QPainter& painter, const PlateCanvas& canvas, const Document& document, int hovered);
    /// Id of the edge under a widget position in the current frame, or 0.
    [[nodiscard]] static int edgeAt(const PlateCanvas& canvas, const Document& document, const QPointF& at);

  private:
    [[nodiscard]] const Straightness& measured(const StraightEdge& edge, const Intrinsics& lens);
    Intrinsics lens_;
    std::map<int, std::pair<size_t, Straightness>> kept_;
};

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
