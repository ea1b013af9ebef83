// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <cmath>
#include <numbers>

#include "layout/field.h"
#include "layout/shape.h"

namespace va {

/// A light of a proof. It shines along its Z axis from its origin. It has no surface: it is a mark in the views, and
/// its colour is that of its light.
struct Light {
    int form = 0;                  ///< position in the list below
    double width = 1, height = 1;  ///< world units: of a window; the width of a spot or bulb makes its shadow soft
    double cone = 60;              ///< degrees: whole angle of a spot
    double edge = 0.2;             ///< share of the cone over which it fades
    double strength = 4;           ///< 1: a white surface one unit before it is as bright as white

    static constexpr const char *word = "light", *label = "Light", *plural = "lights", *icon = "lamp-desk";
    static constexpr std::array<Field<Light>, 5> fields{
        {{"size", "Width", FieldUnit::world, smallestSize, largestSize, &Light::width},
         {"size", "Height", FieldUnit::world, smallestSize, largestSize, &Light::height},
         {"cone", "Cone", FieldUnit::degrees, 1, 179, &Light::cone},
         {"edge", "Soft edge", FieldUnit::share, 0, 1, &Light::edge},
         {"strength", "Strength", FieldUnit::count, 0, 1e6, &Light::strength}}};
    static constexpr const char* formWords[] = {"window", "spot", "bulb"};
    static constexpr const char* formLabels[] = {"Window", "Spot", "Bulb"};
    static constexpr std::array<ChoiceField<Light>, 1> choices{{{"form", "Form", formWords, formLabels, &Light::form}}};

    [[nodiscard]] Shape shape() const {
        Shape s;
        const double x = width / 2, y = height / 2;
        if (form == 0) {
            s.vertices = {{-x, -y, 0}, {x, -y, 0}, {x, y, 0}, {-x, y, 0}};
            s.lines = {{0, 1}, {1, 2}, {2, 3}, {3, 0}};
        } else {
            // A ring: where the cone is a width away, or about the bulb.
            constexpr int sides = 16;
            const double away = form == 1 ? width : 0;
            const double radius = form == 1 ? away * std::tan(cone / 360 * std::numbers::pi) : x;
            for (int i = 0; i < sides; ++i) {
                const double a = 2 * std::numbers::pi * i / sides;
                s.vertices.emplace_back(radius * std::cos(a), radius * std::sin(a), away);
                s.lines.push_back({i, (i + 1) % sides});
            }
        }
        const int middle = int(s.vertices.size());
        s.vertices.emplace_back(0, 0, 0);
        s.vertices.emplace_back(0, 0, form == 2 ? x : width);
        if (form == 2) s.vertices.back().y() = x, s.vertices.back().z() = 0;
        s.lines.push_back({middle, middle + 1});
        if (form == 1)
            for (int i = 0; i < middle; i += 4) s.lines.push_back({middle, i});
        s.label = middle;
        return s;
    }
};

}  // namespace va
