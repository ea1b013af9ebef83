// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <span>

#include "ground/surface.h"

namespace va {

/// The ground under things: things lie on a floor and not in it, and far away, where it is seen at a flat angle, hardly
/// anything but things is seen. A plane through the middle of all points would rise towards there.
///
/// Heights over the plane are drawn from a mixture: the floor itself (a normal distribution of the points' deviations
/// and the floor's roughness) and what lies on it (the same plus a gamma distribution of heights of shape 2: features
/// on a thing are rarely right at its foot). Plane, roughness, the share of points on the floor, the mean height of the
/// others, and how these two follow the depth are those of the greatest likelihood (Berndt, Hall, Hall & Hausman 1974).
/// The covariance is the inverse of the summed outer products of the scores, or that of sums over patches of the floor
/// where that is larger (see fitSurface).
///
/// `start` is a plane near the floor, its normal to the side that things stand on, and `height` that of the cameras
/// over it: points more than a sixteenth of it above or a fortieth below are not looked at. Outliers are the points
/// that are rather on a thing than on the floor. Nothing for fewer than `leastForFloor` points.
std::optional<Surface> fitFloor(std::span<const SurePoint> points, const PlaneFit& start, double height);

inline constexpr size_t leastForFloor = 15;

}  // namespace va
