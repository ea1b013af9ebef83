// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPainter>
#include <QPixmap>

#include "workflow/verdict.h"

namespace va {

/// Draws a state: disc, triangle, ring or half disc, so that colour is never the only sign.
void drawLamp(QPainter& painter, const QPointF& at, Lamp lamp);
/// The same as a picture of 12 px.
QPixmap lampPixmap(Lamp lamp, double devicePixelRatio);

}  // namespace va
