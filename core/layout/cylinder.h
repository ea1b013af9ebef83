// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "layout/field.h"
#include "layout/round_shapes.h"

namespace va {

/// A test cylinder that stands on its base.
struct Cylinder {
    double diameter = 0.6, height = 0.9;  ///< world units

    static constexpr const char *word = "cylinder", *label = "Cylinder", *plural = "cylinders", *icon = "cylinder";
    static constexpr std::array<Field<Cylinder>, 2> fields{
        {{"diameter", "Diameter", FieldUnit::world, smallestSize, largestSize, &Cylinder::diameter},
         {"height", "Height", FieldUnit::world, smallestSize, largestSize, &Cylinder::height}}};

    [[nodiscard]] Shape shape() const {
        const std::array<Eigen::Vector2d, 2> profile{Eigen::Vector2d(diameter / 2, 0),
                                                     Eigen::Vector2d(diameter / 2, height)};
        return turnedShape(profile, 48);
    }
};

}  // namespace va
