// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <map>
#include <string>

namespace va {

/// Where a plate lies: one movie file, or numbered stills.
struct PlateLocation {
    enum class Kind { movie, stills };
    Kind kind = Kind::stills;
    /// The movie, or for stills a pattern such as `folder/name.%04d.jpg` (a plain path for a single photo): what is
    /// shown and stored.
    std::string spec;
    std::map<int, std::filesystem::path> stills;  ///< frame number → file, for stills only
};

/// Finds the plate meant by `spec`: a movie, a folder with stills, a pattern (`name.%04d.ext` or `name.####.ext`), one
/// file of a sequence, or a single photo. Only names are looked at, except that a file with an unknown ending counts as
/// a movie. Throws InputError when nothing is there: no such file, an empty folder, no file that fits the pattern.
PlateLocation locatePlate(const std::string& spec);

}  // namespace va
