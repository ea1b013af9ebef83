// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace va {

/// Where a plate lies: one movie file, or numbered stills.
struct PlateLocation {
    enum class Kind { movie, stills };
    Kind kind = Kind::stills;
    /// The movie, or for stills a pattern such as `folder/name.%04d.jpg` (a plain path for a single photo): what is
    /// shown and stored.
    std::string spec;
    std::map<int, std::filesystem::path> stills;  ///< frame number → file, for stills only
    std::vector<std::string> others;              ///< specs of other series in the folder that was given
    std::vector<std::string> notes;               ///< sentences on what was chosen and what was left out
};

/// Finds the plate meant by `spec`: a movie, a folder with stills, a pattern (`name.%04d.ext` or `name.####.ext`), one
/// file of a series (stillSeries()), or a single photo. Names are looked at, and the first bytes of a file whose ending
/// does not tell that it is a still. Throws InputError when nothing is there: no such file, an empty folder, no file
/// that fits the pattern; an empty file; a pipe or a device, which can't be read twice.
PlateLocation locatePlate(const std::string& spec);

/// Whether a plate's name looks like stills: a folder, a pattern, or an ending of pictures. No file is opened.
bool looksLikeStills(const std::string& spec);

}  // namespace va
