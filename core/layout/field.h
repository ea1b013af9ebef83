// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <span>
#include <string>
#include <vector>

namespace va {

/// What a field's number is measured in.
enum class FieldUnit {
    world,    ///< metres once the scene is scaled, scene units before; follows a change of the scene's scale
    metres,   ///< a known size: stays the number that it is
    degrees,  ///< on screen and in files
    share,    ///< 0..1
    frames,
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

/// What a text of a thing is, which says how it is edited.
enum class TextUse {
    words,
    font,         ///< name of a font family; empty = the one that comes with the program
    pictureFile,  ///< still, numbered stills or movie; empty = none
    meshFile
};

/// One text that a kind of thing has.
template <class Kind>
struct TextField {
    const char* key;
    const char* label;
    TextUse use;
    std::string Kind::*member;
};

/// One choice among words that a kind of thing has; `member` is the position in the list.
template <class Kind>
struct ChoiceField {
    const char* key;
    const char* label;
    std::span<const char* const> words;   ///< in files
    std::span<const char* const> labels;  ///< on screen
    int Kind::*member;
};

/// The same for a thing whose kind is not known to the caller, with its value.
struct FieldValue {
    const char* key;
    const char* label;
    FieldUnit unit;
    double low, high;
    double value;
};
struct TextValue {
    const char* key;
    const char* label;
    TextUse use;
    std::string value;
    friend bool operator==(const TextValue& a, const TextValue& b) { return a.value == b.value; }
};
struct ChoiceValue {
    const char* key;
    const char* label;
    std::span<const char*const> words, labels;
    int value;
    friend bool operator==(const ChoiceValue& a, const ChoiceValue& b) { return a.value == b.value; }
};

/// Sizes that can be told from nothing and from infinity in single precision.
inline constexpr double smallestSize = 1e-6, largestSize = 1e6;

}  // namespace va
