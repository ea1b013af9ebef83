// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "base/progress.h"
#include "exchange/export_choices.h"
#include "exchange/manifest.h"

namespace va {

/// Something that leaves as pictures: it needs the plate or the lens, not the scene.
struct PictureExport {
    const char* word;   ///< "stmap"
    const char* label;  ///< for the artist, English
    /// Writes into a folder; gives what was written.
    std::vector<ExportCheck> (*write)(const Shot& shot, const std::filesystem::path& folder, Progress& progress);
};
/// STMaps and the undistorted plate. A new one is a function and a line in the table.
const std::vector<PictureExport>& pictureExports();

/// "json, usda, …, stmap or plate"
std::string allExportWords();
/// Whether a word is a format or a picture export.
bool isExportWord(const std::string& word);

/// What one export wrote.
struct ExportRun {
    std::vector<ExportCheck> checks;
    std::string nextProgram;           ///< what the next program has to show
    std::vector<std::string> refused;  ///< a sentence for each format that can't hold the scene
    [[nodiscard]] bool passed() const;
};

/// Writes a shot in several formats into one folder, verifies every file, and adds manifest.json and README.txt. A
/// format that can't hold the scene is refused with its reason; the others are written. Throws InputError (choices, a
/// folder that can't be written) and Cancelled.
ExportRun exportShot(const Shot& shot, const ExportChoices& choices, const std::vector<std::string>& words,
                     const std::filesystem::path& folder, Progress& progress);

}  // namespace va
