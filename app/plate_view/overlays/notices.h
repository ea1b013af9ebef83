// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPainter>

namespace va {

/// A sentence on a dark ground in the middle of a view.
void drawNotice(QPainter& painter, const QRect& view, const QString& sentence);
/// What can be done now, at the left of the view's foot; leaves 250 px at the right.
void drawHint(QPainter& painter, const QRect& view, const QString& text);
/// A few words on a small dark ground, which `box` is.
void drawTag(QPainter& painter, const QRectF& box, const QString& words);
/// A band over the top of the picture with a triangle: something about this frame.
void drawWarningBand(QPainter& painter, const QRectF& picture, const QString& sentence);

}  // namespace va
