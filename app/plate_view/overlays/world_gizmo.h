// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPainter>

#include "document/document.h"
#include "drawing/scene_drawing.h"

namespace va {

/// The world's origin with its axes as they lie in the picture, to be dragged: the middle moves the origin over the
/// ground, the ends of X and Z turn the world about its upright.
enum class GizmoPart { none, origin, x, z };

/// What a drag would make of the world: where on the ground the origin is taken, and by how much X and Z turn about the
/// upright, radians, counter-clockwise seen from above.
struct WorldDrag {
    Eigen::Vector3d origin = Eigen::Vector3d::Zero();
    double turn = 0;
};

/// Length of the axes in the world, so that they are about as long in every picture; 0 where the origin is not seen.
double gizmoLength(const Document& document, double pxPerPlatePixel);
void drawWorldGizmo(QPainter& painter, const Projector& project, double length, const WorldDrag& drag, GizmoPart hot);
GizmoPart gizmoPartAt(const Projector& project, double length, const QPointF& at);
/// The drag that brings a part under a position of the ground.
WorldDrag dragTo(GizmoPart part, const Eigen::Vector3d& onGround);

}  // namespace va
