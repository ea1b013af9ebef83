// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "document/slip_watch.h"
#include "drawing/scene_drawing.h"
#include "plate_view/plate_canvas.h"

namespace va {

/// Small crosses that lie on the ground, sized and coloured by the slip that is expected there.
void drawSlip(QPainter& painter, const PlateCanvas& canvas, const SlipWatch::Found& slip, const Projector& project);

}  // namespace va
