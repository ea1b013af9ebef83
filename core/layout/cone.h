// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "layout/field.h"
#include "layout/round_shapes.h"

namespace va {

/// A test cone that stands on its base: its tip is a precise mark.
struct Cone {
    double diameter = 0.4, height = 0.7;  ///< world units

    static constexpr const char *word = "cone", *label = "Cone", *plural = "cones", *icon = "cone";
    static constexpr std::array<Field<Cone>, 2> fields{
        {{"diameter", "Diameter", FieldUnit::world, smallestSize, largestSize, &Cone::diameter},
         {"height", "Height", FieldUnit::world, smallestSize, largestSize, &Cone::height}}};

    [[nodiscard]] Shape shape() const {
        const std::array<Eigen::Vector2d, 2> profile{Eigen::Vector2d(diameter / 2, 0), Eigen::Vector2d(0, height)};
        return turnedShape(profile, 48);
    }
};

}  // namespace va
