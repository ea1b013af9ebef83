// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <cmath>
#include <numbers>

#include "layout/field.h"
#include "layout/round_shapes.h"

namespace va {

/// A test ball that touches the ground at its foot. Faceted: 48 sides about, 24 up.
struct Ball {
    double diameter = 0.5;  ///< world units

    static constexpr const char *word = "ball", *label = "Ball", *plural = "balls", *icon = "circle";
    static constexpr std::array<Field<Ball>, 1> fields{
        {{"diameter", "Diameter", FieldUnit::world, smallestSize, largestSize, &Ball::diameter}}};

    [[nodiscard]] Shape shape() const {
        constexpr int rings = 24;
        std::vector<Eigen::Vector2d> profile;
        for (int i = 0; i <= rings; ++i) {
            const double a = std::numbers::pi * i / rings;
            profile.emplace_back(i == 0 || i == rings ? 0 : diameter / 2 * std::sin(a),
                                 diameter / 2 * (1 - std::cos(a)));
        }
        return turnedShape(profile, 48);
    }
};

}  // namespace va
