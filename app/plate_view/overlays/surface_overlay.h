// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPainter>
#include <memory>
#include <optional>

#include "document/document.h"
#include "drawing/scene_drawing.h"
#include "ground/surface_tile.h"

namespace va {

/// A plane as a grid that lies in the picture, from its middle to the edges of its points. World coordinates.
void drawSurfaceGrid(QPainter& painter, const Surface& surface, const Similarity& worldFromSolve,
                     const Projector& project, const QColor& line, const QColor& wash);

/// The surface tile: a small grid on the surface under the pointer, with a pin along its normal and a read-out beside
/// it.
class SurfaceOverlay {
  public:
    /// Looks at the surface under a pixel of the plate in the current frame; nothing = the pointer is elsewhere.
    void lookAt(const Document& document, const std::optional<Eigen::Vector2d>& pixel);
    /// `slipPx` is what is expected at the tile; negative = not known.
    void paint(QPainter& painter, const QRect& view, const Document& document, const Projector& project,
               double slipPx) const;
    /// What lies under the pointer; solve space.
    [[nodiscard]] const std::optional<SurfaceTile>& tile() const { return tile_; }
    /// Its foot in the world.
    [[nodiscard]] std::optional<Eigen::Vector3d> foot(const Document& document) const;
    /// The words beside the tile.
    [[nodiscard]] static QString readout(const SurfaceTile& tile, const Shot& shot, double slipPx);

  private:
    std::unique_ptr<SurfaceFinder> finder_;
    int frame_ = -1;
    std::shared_ptr<const GroundFit> ground_;
    std::optional<SurfaceTile> tile_;
};

}  // namespace va
