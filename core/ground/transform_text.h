// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "solve/similarity.h"

namespace va {

/// A transform as a table that a person can read and this program takes back to the last digit: a line each for
/// position (x y z), rotation (w x y z) and scale.
std::string textOfTransform(const Similarity& transform);

/// Reads it back, in any order of lines; what is left out stays at nothing moved. Throws InputError with the line that
/// is wrong.
Similarity transformFromText(const std::string& content);

}  // namespace va
