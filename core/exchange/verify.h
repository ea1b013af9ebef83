// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "exchange/scene_export.h"

namespace va {

enum class ExportFormat { cameraJson, usda, ply };

/// File name ending, with the dot: ".json", ".usda", ".ply".
const char* endingOf(ExportFormat format);

struct ExportCheck {
    std::filesystem::path file;
    ExportFormat format = ExportFormat::cameraJson;
    double largestPx = 0;  ///< largest distance between a point through the written camera and through ours
    int compared = 0;      ///< sightings compared
    bool passed = false;   ///< size, rate, frame numbers equal and largestPx within the format's precision
    std::string sentence;  ///< for the artist
};

/// Largest re-projection difference (px) that a verified file may have; single-precision points set it.
inline constexpr double exportTolerancePx = 0.01;

/// Writes one file, reads it back, and re-projects: every point through every camera, written against ours. A cloud
/// alone is seen through our cameras. Throws InputError when the file can't be written.
ExportCheck exportAndVerify(const SceneExport& scene, ExportFormat format, const std::filesystem::path& file);

}  // namespace va
