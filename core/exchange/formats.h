// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "exchange/foreign_scene.h"
#include "exchange/scene_export.h"

namespace va {

/// A file that a format writes.
struct OutFile {
    std::string name;     ///< from the main file's folder, with "{stem}" for that file's; empty = the main file itself
    std::string content;  ///< bytes
    std::string copyOf;   ///< a file to copy instead; empty = none
};
using OutFiles = std::vector<OutFile>;

/// A thing's picture as a file of its own below "textures/", added to `files` once; no name where there is no such
/// file.
OutFile pictureFile(const std::string& picture, OutFiles& files);

/// A kind of file that a scene can be written as. Each format is one file that defines one of these, and a line in the
/// table of formats.cpp: the window, the headless program, its help and verification all go by that table.
struct ExportFormat {
    const char* word;      ///< on the command line: "usda"
    const char* label;     ///< for the artist, English: "OpenUSD scene"
    const char* fileName;  ///< in the folder of a run: "camera.usda"
    /// The main file comes first. Throws InputError where the scene can't be held by the format.
    OutFiles (*write)(const SceneExport& scene);
    /// Reads such a file, whoever wrote it, with code that shares nothing with write(). Throws InputError naming
    /// `source`.
    ForeignScene (*read)(const std::string& content, const std::string& source);
    /// What this scene has and the format has no place for, in words ("the camera, things"); empty = nothing.
    std::string (*lacks)(const SceneExport& scene);
    /// What is wrong with a file that was written beside the main one, as read back; empty = nothing, or none is
    /// checked.
    std::string (*companionWrong)(const SceneExport& scene, const std::string& name,
                                  const std::string& content) = nullptr;
    bool holdsCamera = true, holdsPoints = true, holdsThings = true, holdsVisibility = false;
    bool holdsMarks = true;     ///< things without faces
    bool standardAxes = false;  ///< its standard fixes axes and unit: it is given the scene with Y up, in metres
    bool byDefault = false;     ///< one of those that a run writes unasked
};

/// All formats, in the order of menus and help. A new one is a file that defines an ExportFormat, and a line here.
#define VA_EXPORT_FORMATS(X) \
    X(cameraJsonFormat)      \
    X(usdaFormat)            \
    X(plyFormat)             \
    X(usdzFormat)            \
    X(gltfFormat)            \
    X(colladaFormat)         \
    X(openTrackIoFormat)     \
    X(cameraCsvFormat)       \
    X(objFormat)

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
