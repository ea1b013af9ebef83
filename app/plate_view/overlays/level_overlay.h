// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPainter>

#include "plate_view/plate_canvas.h"

namespace va {

/// The lines drawn in this frame as evidence of the level, with the angle that each is off; found upright edges
/// faintly.
void drawLevelLines(QPainter& painter, const PlateCanvas& canvas, const Document& document);

}  // namespace va
