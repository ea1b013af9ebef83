// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace va {

/// What a field's number is measured in.
enum class FieldUnit {
    world,    ///< metres once the scene is scaled, scene units before
    degrees,  ///< on screen and in files
    count
};

/// One number that a kind of thing has: what files and the inspector call it, and what it may be. Fields of one key
/// that follow each other are the components of one array in files.
template <class Kind>
struct Field {
    const char* key;    ///< in files: lower case with underscores
    const char* label;  ///< on screen, English
    FieldUnit unit;
    double low, high;  ///< both allowed
    double Kind::*member;
};

/// The same for a thing whose kind is not known to the caller, with its value.
struct FieldValue {
    const char* key;
    const char* label;
    FieldUnit unit;
    double low, high;
    double value;
};

/// Sizes that can be told from nothing and from infinity in single precision.
inline constexpr double smallestSize = 1e-6, largestSize = 1e6;

}  // namespace va
