// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPainter>

#include "document/document.h"

namespace va {

class PlateCanvas;

/// What was measured: squares on the features, joined by dots, with the name. Faint where it is not used.
void drawCheckPoints(QPainter& painter, const PlateCanvas& canvas, const Document& document);

}  // namespace va
