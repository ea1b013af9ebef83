// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPainter>

#include "document/photo_edits.h"
#include "drawing/scene_drawing.h"
#include "plate_view/plate_canvas.h"

namespace va {

/// What one picture is matched by: lines with the letter of their axis, rectangle, horizon, known points; found lines
/// faintly. `held` is the part under the pointer. With a camera the floor is drawn as well, to its far end.
void drawPhotoMatch(QPainter& painter, const PlateCanvas& canvas, const Document& document, const Projector& project,
                    const PhotoHandle& held, int spot);

/// The part of the photo match under a widget position.
PhotoHandle photoHandleAt(const PlateCanvas& canvas, const Document& document, const QPointF& at);

}  // namespace va
