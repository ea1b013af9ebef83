// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "track/mask_shape.h"

namespace va {

/// Black-and-white files that keep features out, or that lie before the things of a proof.
struct Matte {
    std::string spec;        ///< sequence, movie or still; empty = none
    double threshold = 0.5;  ///< of full white: from there on features are kept out
    bool invert = false;     ///< black keeps out instead
    double grow = 0;         ///< px outward; negative shrinks
    int frameOffset = 0;     ///< added to the plate's frame number to find the matte's
    friend bool operator==(const Matte&, const Matte&) = default;
};

/// What keeps features out, as a whole.
struct Exclusions {
    std::vector<MaskShape> masks;
    Matte matte;
    friend bool operator==(const Exclusions&, const Exclusions&) = default;
};

}  // namespace va
