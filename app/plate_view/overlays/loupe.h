// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <QPainter>

#include "base/plane.h"

namespace va {

/// The loupe: the picture around a position, enlarged so that a pixel is seen, with a marker at the exact position and
/// the patch's outline. `at` in px of the plate; `corner` is the loupe's top left in the widget.
void drawLoupe(QPainter& painter, const DisplayPicture& picture, const Eigen::Vector2d& at, double pixelAspect,
               int patchRadius, const QPointF& corner, const QString& label);

inline constexpr int loupeSide = 176;  ///< px on screen
inline constexpr int loupeZoom = 8;    ///< screen px a plate pixel

}  // namespace va
