// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "layout/field.h"
#include "layout/shape.h"

namespace va {

/// Nothing but a place that other things hang on, to move, hide and lock them together.
struct Group {
    static constexpr const char *word = "group", *label = "Group", *plural = "groups", *icon = "group";
    static constexpr std::array<Field<Group>, 0> fields{};

    /// A small cross on the ground.
    [[nodiscard]] Shape shape() const {
        Shape s;
        s.vertices = {{-0.15, 0, 0}, {0.15, 0, 0}, {0, 0, -0.15}, {0, 0, 0.15}, {0, 0, 0}};
        s.lines = {{0, 1}, {2, 3}};
        s.label = 4;
        return s;
    }
};

}  // namespace va
