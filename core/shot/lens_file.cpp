// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/lens_file.h"

#include <cmath>
#include <cstdio>
#include <nlohmann/json.hpp>

#include "base/atomic_file.h"
#include "base/error.h"
#include "shot/lens_json.h"

namespace va {

Intrinsics LensFile::forSize(int pictureWidth, int pictureHeight) const {
    Intrinsics out = intrinsics;
    if (width <= 0 || height <= 0 || (width == pictureWidth && height == pictureHeight)) return out;
    const double sx = double(pictureWidth) / width, sy = double(pictureHeight) / height;
    if (std::fabs(sx / sy - 1) > 0.01) {
        char text[300];
        std::snprintf(text, sizeof text,
                      "The lens was found in pictures of %d × %d px, the plate has %d × %d: another shape, so another "
                      "part of the sensor. Use stills of the plate's shape, or crop one of them.",
                      width, height, pictureWidth, pictureHeight);
        throw InputError(text);
    }
    out.focalPx *= sy;
    // Pixel edges stay where they are: the middle of the first pixel is half a pixel in.
    out.principalPoint = {(out.principalPoint.x() + 0.5) * sx - 0.5, (out.principalPoint.y() + 0.5) * sy - 0.5};
    return out;
}

std::string writeLensFile(const LensFile& l) {
    nlohmann::ordered_json j;
    j["format"] = "vivid-anchor-lens";
    j["version"] = 1;
    j["image"] = {{"width", l.width}, {"height", l.height}, {"pixel_aspect", l.intrinsics.pixelAspect}};
    j["focal_px"] = l.intrinsics.focalPx;
    j["principal_point_px"] = {l.intrinsics.principalPoint.x(), l.intrinsics.principalPoint.y()};
    j["lens"] = lensToJson(l.intrinsics.lens);
    if (!l.source.empty()) j["source"] = l.source;
    if (l.rmsPx >= 0) j["rms_px"] = l.rmsPx;
    return j.dump(2) + "\n";
}

LensFile readLensFile(const std::string& path) {
    const auto j = nlohmann::json::parse(readFile(path), nullptr, false);
    LensFile out;
    try {
        if (!j.is_object()) throw InputError("it is no JSON object");
        out.intrinsics.lens = lensFromJson(j.contains("lens") ? j.at("lens") : j);
        if (j.contains("image")) {
            out.width = j.at("image").at("width");
            out.height = j.at("image").at("height");
            out.intrinsics.pixelAspect = j.at("image").value("pixel_aspect", 1.0);
        }
        const auto& from = j.contains("frames") && !j.at("frames").empty() ? j.at("frames").front()
                                                                           : static_cast<const nlohmann::json&>(j);
        out.intrinsics.focalPx = from.value("focal_px", 0.0);
        if (from.contains("principal_point_px"))
            out.intrinsics.principalPoint = {from.at("principal_point_px").at(0).get<double>(),
                                             from.at("principal_point_px").at(1).get<double>()};
        else if (out.width > 0) out.intrinsics.principalPoint = {(out.width - 1) / 2.0, (out.height - 1) / 2.0};
        out.source = j.value("source", "");
        out.rmsPx = j.value("rms_px", -1.0);
        if (j.contains("focal_px") && !(out.intrinsics.focalPx > 0)) throw InputError("focal_px has to be positive");
    } catch (const std::exception& e) {
        throw InputError("\"" + path + "\" is not a lens file: " + e.what() + ". A camera.json does as well.");
    }
    return out;
}

}  // namespace va
