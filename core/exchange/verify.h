// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "exchange/formats.h"

namespace va {

struct ExportCheck {
    std::filesystem::path file;
    const ExportFormat* format = nullptr;
    double largestPx = 0;  ///< largest distance between a point through the written camera and through ours
    int compared = 0;      ///< observations compared
    bool passed = false;   ///< size, rate, frame numbers equal and largestPx within the format's precision
    std::string sentence;  ///< for the artist
};

/// Largest re-projection difference (px) that a verified file may have; single-precision points set it.
inline constexpr double exportTolerancePx = 0.01;

/// Writes one file, reads it back, and re-projects: every point through every camera, written against ours. A cloud
/// alone is seen through our cameras. Things and movers are compared as well; where no point could be compared, the
/// check fails. Throws InputError when the file can't be written.
ExportCheck exportAndVerify(const SceneExport& scene, const ExportFormat& format, const std::filesystem::path& file);

}  // namespace va
