// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/camera_metadata.h"

#include <cmath>
#include <exiv2/exiv2.hpp>

namespace va {
namespace {

std::string trimmed(std::string s) {
    const auto end = s.find_last_not_of(" \t\r\n");
    s.erase(end == std::string::npos ? 0 : end + 1);
    const auto begin = s.find_first_not_of(" \t\r\n");
    return begin == std::string::npos ? "" : s.substr(begin);
}

}  // namespace

CameraMetadata readCameraMetadata(const std::string& file) {
    CameraMetadata out;
    try {
        // Damaged tags are common in photos and no news to anybody.
        Exiv2::LogMsg::setLevel(Exiv2::LogMsg::mute);
        const auto image = Exiv2::ImageFactory::open(file);
        image->readMetadata();
        const Exiv2::ExifData& exif = image->exifData();
        const auto find = [&](const char* key) { return exif.findKey(Exiv2::ExifKey(key)); };
        // A tag that can't be read says nothing; the others stay.
        const auto text = [&](const char* key) {
            try {
                const auto at = find(key);
                return at != exif.end() ? trimmed(at->toString()) : std::string();
            } catch (const std::exception&) {
                return std::string();
            }
        };
        const auto positive = [&](const char* key) -> std::optional<double> {
            try {
                const auto at = find(key);
                if (at == exif.end() || at->count() == 0) return std::nullopt;
                const auto [above, below] = at->toRational(0);
                const double v = below != 0 ? double(above) / below : 0;
                return v > 0 && std::isfinite(v) ? std::optional<double>(v) : std::nullopt;
            } catch (const std::exception&) {
                return std::nullopt;
            }
        };
        out.maker = text("Exif.Image.Make");
        out.model = text("Exif.Image.Model");
        out.lens = text("Exif.Photo.LensModel");
        out.focalMm = positive("Exif.Photo.FocalLength");
        out.focal35Mm = positive("Exif.Photo.FocalLengthIn35mmFilm");
        if (const auto zoom = positive("Exif.Photo.DigitalZoomRatio"); zoom && std::fabs(*zoom - 1) > 1e-3)
            out.digitalZoom = zoom;
        const auto resolution = positive("Exif.Photo.FocalPlaneXResolution");
        const auto width = positive("Exif.Photo.PixelXDimension");
        if (resolution && width) {
            const auto unit = find("Exif.Photo.FocalPlaneResolutionUnit");
            const double perUnit = unit != exif.end() && unit->toString() == "3" ? 10.0 : 25.4;  // cm, else inch
            const double mm = *width / *resolution * perUnit;
            if (mm > 1 && mm < 200) out.sensorWidthMm = mm;
        }
    } catch (const std::exception&) {
        // No metadata, or none that can be read any further: what was read until here is true.
    }
    return out;
}

}  // namespace va
