// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <span>
#include <string>
#include <string_view>

#include "exchange/scene_export.h"

namespace va {

/// A kind of file that a scene can be written as. Each format is one file that defines one of these, and a line in the
/// table of formats.cpp: the window, the headless program, its help and verification all go by that table.
struct ExportFormat {
    const char* word;      ///< on the command line: "usda"
    const char* label;     ///< for the artist, English: "OpenUSD scene"
    const char* fileName;  ///< in the folder of a run: "camera.usda"
    std::string (*write)(const SceneExport& scene);
    /// Reads what write() wrote, for verification. What the format has no place for is taken from `ours`. Throws
    /// InputError naming `source`.
    SceneExport (*read)(const std::string& text, const std::string& source, const SceneExport& ours);
    /// What this scene has and the format has no place for, in words ("the camera, things"); empty = nothing.
    std::string (*lacks)(const SceneExport& scene);
};

/// All formats, in the order of menus and help. A new one is a file that defines an ExportFormat, and a line here.
#define VA_EXPORT_FORMATS(X) \
    X(cameraJsonFormat)      \
    X(usdaFormat)            \
    X(plyFormat)

#define VA_DECLARE(format) extern const ExportFormat format;
VA_EXPORT_FORMATS(VA_DECLARE)
#undef VA_DECLARE

/// All formats, in the order in which a run writes them.
std::span<const ExportFormat* const> exportFormats();
/// The format of a word, or null.
const ExportFormat* formatNamed(std::string_view word);
/// "json, usda or ply"
std::string formatWords();

}  // namespace va
