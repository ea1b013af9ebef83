// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPainter>
#include <map>

#include "document/document.h"
#include "lens/plumb_line.h"

namespace va {

class PlateCanvas;

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

}  // namespace va
