// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPainter>

#include "document/document.h"
#include "plate_view/overlays/path_index.h"

namespace va {

class PlateCanvas;

/// How paths are drawn.
struct PathLook {
    bool shown = true;       ///< rings and tails
    double markSize = 3.2;   ///< screen px, radius of a ring
    int tail = 10;           ///< frames
    bool asideShown = true;  ///< paths set aside as faint dots
    bool vectors = false;    ///< residuals as lines, enlarged
    bool errorMap = false;   ///< mean residuals over the picture as arrows, enlarged
    bool slip = false;       ///< expected slip on the ground, and under the pointer
    bool centred = false;    ///< the picture is shifted so that the selected path stands still in the middle
};

/// Rings with fading tails, diamonds for features by hand, coloured by the residual in the frame. `index` stands at the
/// document's frame.
void drawPaths(QPainter& painter, const PlateCanvas& canvas, const Document& document, const PathIndex& index,
               const PathLook& look);

/// The scale of the residuals, and what the enlarged overlays mean, at the foot of the view.
/// `slipLimitPx`: end of the slip's scale, 0 where it is not shown.
void drawLegend(QPainter& painter, const PlateCanvas& canvas, const PathLook& look, double slipLimitPx);

}  // namespace va
