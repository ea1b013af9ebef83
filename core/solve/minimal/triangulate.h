// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

#include "solve/camera.h"

namespace va {

/// An observation of a point: from which view, at which undistorted normalised position, with which weight (1 /
/// normalised units²).
struct Observation {
    const View* view = nullptr;
    Eigen::Vector2d undistorted;
    double weight = 1;
};

struct Triangulated {
    Eigen::Vector3d position;
    double angle = 0;  ///< radians: the widest angle between two of the rays; small means uncertain depth
};

/// The point that minimises Σ weight · |projection − undistorted|² over two or more observations: linear start (Hartley
/// & Sturm 1997), then Gauss– Newton. Nothing when rays are parallel to within 1e-7 rad or the point lies behind a
/// camera.
std::optional<Triangulated> triangulate(const std::vector<Observation>& observations);

}  // namespace va
