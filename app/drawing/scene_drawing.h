// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPainter>
#include <functional>
#include <optional>

#include "shot/shot.h"

namespace va {

/// World point to widget position; nothing when it can't be seen. Plate view and scene view each bring their own, so
/// that things are drawn by the same code through the real lens and through the free camera.
using Projector = std::function<std::optional<QPointF>(const Eigen::Vector3d&)>;

/// The ground grid around the origin: every `step` units, `lines` each way.
void drawGrid(QPainter& painter, const QColor& colour, const Projector& project, double step, int lines);

/// A world line cut into pieces, each drawn where both ends are seen.
void drawLine3d(QPainter& painter, const Projector& project, const Eigen::Vector3d& a, const Eigen::Vector3d& b,
                int pieces = 12);

}  // namespace va
