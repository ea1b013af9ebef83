// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "layout/field.h"
#include "layout/shape.h"

namespace va {

/// A named position with a direction: its Y axis points away from the surface that it was put on.
struct Anchor {
    static constexpr const char *word = "anchor", *label = "Anchor", *plural = "anchors";
    static constexpr std::array<Field<Anchor>, 0> fields{};

    [[nodiscard]] Shape shape() const { return {{{0, 0, 0}, {0, 0.3, 0}}, {}, {{0, 1}}, 1}; }
};

}  // namespace va
