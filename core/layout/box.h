// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "layout/field.h"
#include "layout/shape.h"

namespace va {

/// A test box that stands on the middle of its base.
struct Box {
    double width = 1, height = 1, depth = 1;  ///< world units

    static constexpr const char *word = "box", *label = "Box", *plural = "boxes", *icon = "box";
    static constexpr std::array<Field<Box>, 3> fields{
        {{"size", "Width", FieldUnit::world, smallestSize, largestSize, &Box::width},
         {"size", "Height", FieldUnit::world, smallestSize, largestSize, &Box::height},
         {"size", "Depth", FieldUnit::world, smallestSize, largestSize, &Box::depth}}};

    [[nodiscard]] Shape shape() const {
        Shape s;
        for (const double y : {0.0, 1.0})
            for (const double z : {-0.5, 0.5})
                for (const double x : {-0.5, 0.5}) s.vertices.emplace_back(x * width, y * height, z * depth);
        s.addFace({0, 1, 3, 2}), s.addFace({4, 6, 7, 5}), s.addFace({0, 4, 5, 1});
        s.addFace({2, 3, 7, 6}), s.addFace({0, 2, 6, 4}), s.addFace({1, 5, 7, 3});
        return s;
    }
};

}  // namespace va
