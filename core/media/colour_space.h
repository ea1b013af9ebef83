// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <string>
#include <vector>

#include "base/picture.h"

namespace va {

/// A space of linear light that other packages take pictures in.
struct LightSpace {
    const char* word;   ///< on the shell
    const char* label;  ///< on screen
    const char*
        steps;  ///< transforms built into OpenColorIO from linear Rec. 709, with commas; − before a backward one
    std::array<float, 8> chromaticities;  ///< x and y of red, green, blue and white, for the file
};
/// All of them; the first is linear Rec. 709 itself. A new one is a line in colour_space.cpp.
const std::vector<LightSpace>& lightSpaces();
/// Null where there is none of that word.
const LightSpace* lightSpace(const std::string& word);

/// Takes a picture's colours from linear Rec. 709 to another space; alpha stays. By OpenColorIO.
void toLightSpace(Picture& linear, const LightSpace& space);

}  // namespace va
