// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <span>

#include "layout/shape.h"

namespace va {

/// A shape turned about the Y axis: `profile` holds (radius, height) from its lowest end to its highest one. Ends with
/// a radius are closed by a flat face, ends without are a tip. `sides` flat sides a turn. `band` gives each step of the
/// profile a material; empty = none.
Shape turnedShape(std::span<const Eigen::Vector2d> profile, int sides, std::span<const int> band = {});

}  // namespace va
