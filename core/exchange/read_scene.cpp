// SPDX-License-Identifier: GPL-3.0-or-later
#include <filesystem>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/text.h"
#include "exchange/formats.h"
#include "exchange/gltf_read.h"
#include "exchange/open_track_io.h"

namespace va {
namespace {

constexpr uintmax_t largestFile = 2000000000;

/// No number of it may be infinite or none.
void refuseNoNumbers(const ForeignScene& s, const std::string& file) {
    bool good = true;
    for (const auto& c : s.cameras) {
        good = good && std::isfinite(c.backWidthMm) && std::isfinite(c.backHeightMm) && c.offsetMm.allFinite();
        for (const auto& f : c.frames)
            good = good && std::isfinite(f.frame) && std::fabs(f.frame) < 1e9 && f.pose.position.allFinite() &&
                   f.pose.worldFromCamera.coeffs().allFinite() && std::isfinite(f.focalMm) && f.focalMm > 0;
    }
    for (const auto& p : s.points) good = good && p.position.allFinite();
    for (const auto& b : s.bodies) {
        for (const auto& v : b.vertices) good = good && v.allFinite();
        for (const auto& at : b.samples) good = good && at.place.allFinite() && std::isfinite(at.frame);
    }
    if (!good)
        throw InputError(text(
            "\"%s\" holds numbers that are infinite or no numbers. Write it again; nothing was taken.", file.c_str()));
}

}  // namespace

ForeignScene readScene(const std::string& file) {
    std::error_code code;
    if (!std::filesystem::is_regular_file(file, code))
        throw InputError(text("\"%s\" is no file. Name a scene file: %s.", file.c_str(), sceneEndings().c_str()));
    if (std::filesystem::file_size(file, code) > largestFile)
        throw InputError(text("\"%s\" is larger than 2 GB. Write it without its meshes.", file.c_str()));
    const std::string ending = lowerCase(std::filesystem::path(file).extension().string());
    const std::string content = readFile(file);
    ForeignScene out;
    if (ending == ".json") {
        const bool ours = content.substr(0, 200).find("vivid-anchor-camera") != std::string::npos;
        out = ours ? cameraJsonFormat.read(content, file) : readOpenTrackIo(content, file);
    } else if (ending == ".gltf") {
        out = readGltfScene(content, file);
    } else {
        const ExportFormat* format = nullptr;
        for (const ExportFormat* f : exportFormats())
            if (f->holdsCamera && std::filesystem::path(f->fileName).extension() == ending) format = f;
        if (!format)
            throw InputError(text("\"%s\": scenes are not read from \"%s\" files. Take one of %s.", file.c_str(),
                                  ending.c_str(), sceneEndings().c_str()));
        out = format->read(content, file);
    }
    refuseNoNumbers(out, file);
    return out;
}

std::string sceneEndings() { return "*.usda *.usdz *.glb *.gltf *.dae *.csv *.json"; }

}  // namespace va
