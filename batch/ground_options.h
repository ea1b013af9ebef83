// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "command_line.h"
#include "shot/shot.h"

namespace va {

/// What the shell can ask of the ground.
struct GroundArguments {
    std::string level, lines, knownPoints;
    std::vector<std::string> measures;
};

void addGroundOptions(CommandLine& command, GroundArguments& a);

/// Before the match of one picture: lines, a rectangle, the horizon and known points from files (docs/formats.md).
/// Throws InputError.
Shot withPhotoOptions(const Shot& shot, const GroundArguments& a);

/// After the solve: level and scale. Throws InputError and UsageError.
Shot withGroundOptions(const Shot& shot, const GroundArguments& a);

/// A known length from words: its kind, its features and how long it is, as "distance 12 57 3.2m ±0.01". Kinds are
/// distance, height (foot and top), over-ground (top), camera (a frame number), spacing (three or more in a row).
/// Features are names, ids, or FRAME:X,Y. Throws UsageError with what is wrong.
KnownLength knownLengthFromWords(const std::string& words, const Shot& shot);

}  // namespace va
