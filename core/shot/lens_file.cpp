// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/lens_file.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <nlohmann/json.hpp>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/json_text.h"
#include "base/text.h"
#include "lens/convert_lens.h"
#include "shot/lens_json.h"

namespace va {

Intrinsics LensFile::forSize(int pictureWidth, int pictureHeight) const {
    Intrinsics out = intrinsics;
    if (width <= 0 || height <= 0 || (width == pictureWidth && height == pictureHeight)) return out;
    const double sx = double(pictureWidth) / width, sy = double(pictureHeight) / height;
    if (std::fabs(sx / sy - 1) > 0.01) {
        throw InputError(
            text("The lens was found in pictures of %d × %d px, the plate has %d × %d: another shape, so another "
                 "part of the sensor. Use stills of the plate's shape, or crop one of them.",
                 width, height, pictureWidth, pictureHeight));
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
    if (l.focalAssumed) j["focal_assumed"] = true;
    if (!l.source.empty()) j["source"] = l.source;
    if (l.rmsPx >= 0) j["rms_px"] = l.rmsPx;
    for (const LensFile::Stop& stop : l.stops)
        j["stops"].push_back(
            {{"focal_mm", stop.focalMm},
             {"focal_px", stop.intrinsics.focalPx},
             {"principal_point_px", {stop.intrinsics.principalPoint.x(), stop.intrinsics.principalPoint.y()}},
             {"lens", lensToJson(stop.intrinsics.lens)}});
    return dumpJson(j, 2) + "\n";
}

LensFile readLensFile(const std::string& path) {
    const auto j = nlohmann::json::parse(readFile(path), nullptr, false);
    LensFile out;
    try {
        if (!j.is_object()) throw InputError(text("it is no JSON object"));
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
        if (j.contains("stops"))
            for (const auto& stop : j.at("stops")) {
                Intrinsics i = out.intrinsics;
                i.focalPx = stop.at("focal_px");
                i.lens = lensFromJson(stop.at("lens"));
                i.principalPoint = {stop.at("principal_point_px").at(0).get<double>(),
                                    stop.at("principal_point_px").at(1).get<double>()};
                if (!(i.focalPx > 0) || i.lens.kind() != out.intrinsics.lens.kind())
                    throw InputError(text("its stops need focal lengths and one lens model"));
                out.stops.push_back({stop.at("focal_mm"), i});
            }
        out.focalAssumed = j.value("focal_assumed", false);
        out.source = j.value("source", "");
        out.rmsPx = j.value("rms_px", -1.0);
        if (j.contains("focal_px") && !(out.intrinsics.focalPx > 0))
            throw InputError(text("focal_px has to be positive"));
    } catch (const std::exception& e) {
        throw InputError(text("\"%s\" is not a lens file: %s. A camera.json does as well.", path.c_str(), e.what()));
    }
    return out;
}

LensFile LensFile::at(double focalMm) const {
    if (stops.empty()) return *this;
    const double least = stops.front().focalMm, most = stops.back().focalMm;
    if (!(focalMm > least / 1.02 && focalMm < most * 1.02)) {
        throw InputError(text("The lens is known from %.4g to %.4g mm, not at %.4g mm. Calibrate it there as well.",
                              least, most, focalMm));
    }
    const double mm = std::clamp(focalMm, least, most);
    size_t next = 1;
    while (next + 1 < stops.size() && stops[next].focalMm < mm) ++next;
    LensFile out = *this;
    out.stops.clear();
    if (stops.size() == 1) {
        out.intrinsics = stops.front().intrinsics;
        return out;
    }
    const Stop &a = stops[next - 1], &b = stops[next];
    const double t = std::log(mm / a.focalMm) / std::log(b.focalMm / a.focalMm);
    Intrinsics& i = out.intrinsics;
    i = a.intrinsics;
    i.focalPx = std::exp((1 - t) * std::log(a.intrinsics.focalPx) + t * std::log(b.intrinsics.focalPx));
    i.principalPoint = (1 - t) * a.intrinsics.principalPoint + t * b.intrinsics.principalPoint;
    // The same distortion in px as each stop, for the focal length between.
    const LensModel first = distortionForFocal(a.intrinsics.lens, i.focalPx / a.intrinsics.focalPx),
                    second = distortionForFocal(b.intrinsics.lens, i.focalPx / b.intrinsics.focalPx);
    for (int k = 0; k < i.lens.count(); ++k) i.lens.setValue(k, (1 - t) * first.value(k) + t * second.value(k));
    return out;
}

LensFile zoomLensOf(const std::vector<LensFile>& files, const std::vector<double>& focalsMm) {
    if (files.size() < 2 || files.size() != focalsMm.size())
        throw InputError(text("A zoom lens needs two lens files or more, and a focal length in mm for each."));
    std::vector<size_t> order(files.size());
    for (size_t i = 0; i < order.size(); ++i) order[i] = i;
    std::sort(order.begin(), order.end(), [&](size_t a, size_t b) { return focalsMm[a] < focalsMm[b]; });
    LensFile out = files[order.front()];
    for (const size_t i : order) {
        const LensFile& f = files[i];
        if (!(focalsMm[i] > 0) || (!out.stops.empty() && focalsMm[i] <= out.stops.back().focalMm))
            throw InputError(text("Each lens file of a zoom lens needs a focal length of its own, above 0 mm."));
        if (f.width != out.width || f.height != out.height || f.intrinsics.lens.kind() != out.intrinsics.lens.kind() ||
            !(f.intrinsics.focalPx > 0))
            throw InputError(text(
                "The lens files of a zoom lens have to be of one picture size and lens model, with focal lengths in "
                "px."));
        out.stops.push_back({focalsMm[i], f.intrinsics});
    }
    return out;
}

}  // namespace va
