// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

#include "solve/camera.h"

namespace va {

/// A sighting of a point: from which view, at which straight normalised position, with which weight (1 / normalised
/// units²).
struct Sighting {
    const View* view = nullptr;
    Eigen::Vector2d straight;
    double weight = 1;
};

struct Triangulated {
    Eigen::Vector3d position;
    double angle = 0;  ///< radians: the widest angle between two of the rays; small means uncertain depth
};

/// The point that minimises Σ weight · |projection − straight|² over two or more sightings: linear start (Hartley &
/// Sturm 1997), then Gauss– Newton. Nothing when rays are parallel to within 1e-7 rad or the point lies behind a
/// camera.
std::optional<Triangulated> triangulate(const std::vector<Sighting>& sightings);

}  // namespace va
