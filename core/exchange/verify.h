// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "exchange/formats.h"

namespace va {

struct ExportCheck {
    std::filesystem::path file;
    std::vector<std::filesystem::path> companions;  ///< written along with it
    const ExportFormat* format = nullptr;
    double largestPx = 0;     ///< largest distance between a place through the written camera and through ours
    double largestUnits = 0;  ///< and in the scene's units, of cameras, points and things
    int compared = 0;         ///< places compared
    bool passed = false;      ///< size, rate, frame numbers equal and largestPx within exportTolerancePx
    double angleOfView = 0;   ///< as read back, degrees, first frame; 0 = the file holds no camera
    std::string lacks;        ///< what the format has no place for
    std::string sentence;     ///< for the artist
};

/// Largest re-projection difference (px) that a verified file may have; single-precision points set it.
inline constexpr double exportTolerancePx = 0.01;

/// Largest difference of a place as a share of its distance, whether or not a camera sees it.
inline constexpr double exportToleranceShare = 1e-5;

/// Frames and points that are compared, evenly over all of them; things at each of those frames.
inline constexpr size_t comparedFrames = 48, comparedPoints = 1500;

/// Writes a scene in a format, reads the file back with that format's reader, and re-projects: points and things of up
/// to comparedFrames frames through the camera as read against ours. What a file has no camera for is seen through
/// ours. Where nothing could be compared, the check fails. What was there before is kept where a file can't be written.
/// Throws InputError then, and where the format can't hold the scene.
ExportCheck exportAndVerify(const SceneExport& scene, const ExportFormat& format, const std::filesystem::path& file);

/// Compares what was read with what should be there.
ExportCheck verified(const SceneExport& scene, const ForeignScene& found, const ExportFormat& format,
                     const std::filesystem::path& file);

/// A camera's film back and focal length as px of the plate: its own picture's frame taken out.
Intrinsics plateIntrinsics(const ForeignScene& scene, const ForeignScene::Camera& camera,
                           const ForeignScene::Frame& frame, int width, int height, double pixelAspect);

}  // namespace va
