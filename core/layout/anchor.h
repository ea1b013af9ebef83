// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "layout/field.h"
#include "layout/shape.h"

namespace va {

/// A named position with a direction: its Y axis points away from the surface that it was put on.
struct Anchor {
    static constexpr const char *word = "anchor", *label = "Anchor", *plural = "anchors", *icon = "map-pin";
    static constexpr std::array<Field<Anchor>, 0> fields{};

    [[nodiscard]] Shape shape() const {
        Shape s;
        s.vertices = {{0, 0, 0}, {0, 0.3, 0}};
        s.lines = {{0, 1}};
        s.label = 1;
        return s;
    }
};

}  // namespace va
