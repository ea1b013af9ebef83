// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPainter>

namespace va {

class Document;
class PlateCanvas;

/// A person-high post on the ground in the middle of the picture, and the shadow that the sun throws of it.
void drawPostShadow(QPainter& painter, const PlateCanvas& canvas, const Document& document);

}  // namespace va
