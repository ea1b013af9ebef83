// SPDX-License-Identifier: GPL-3.0-or-later
#include "lens/film_back.h"

#include <cmath>

namespace va {

double focalPxFromMm(double focalMm, double sensorWidthMm, int pictureWidth, double pixelAspect) {
    return focalMm / sensorWidthMm * pictureWidth * pixelAspect;
}

double focalMmFromPx(double focalPx, double sensorWidthMm, int pictureWidth, double pixelAspect) {
    return focalPx * sensorWidthMm / (pictureWidth * pixelAspect);
}

double fieldOfView(double focal, double extent) { return 2 * std::atan(extent / (2 * focal)); }

std::span<const FilmBack> filmBacks() {
    // Sizes are written down from memory of the sources named; inches of the standards are turned into mm.
    static constexpr FilmBack all[] = {
        {"65 mm, five perforations", 52.63, 23.01, "SMPTE ST 215, camera aperture"},
        {"35 mm, eight perforations", 37.72, 24.92, "camera aperture, common practice"},
        {"Full frame", 36.0, 24.0, "ISO 1007"},
        {"35 mm, full aperture", 24.89, 18.66, "SMPTE ST 59, camera aperture A"},
        {"35 mm, three perforations", 24.89, 13.86, "common practice"},
        {"35 mm, sound aperture", 21.95, 16.0, "SMPTE ST 59, camera aperture"},
        {"Crop sensor, factor 1.5", 23.6, 15.7, "common practice"},
        {"Crop sensor, factor 1.6", 22.3, 14.9, "common practice"},
        {"Four Thirds", 17.3, 13.0, "Four Thirds system standard"},
        {"1-inch type", 13.2, 8.8, "common practice"},
        {"16 mm, wide", 12.52, 7.41, "SMPTE ST 201, camera aperture"},
        {"16 mm", 10.26, 7.49, "SMPTE ST 7, camera aperture"},
        {"2/3-inch type, 16:9", 9.59, 5.39, "common practice"},
        {"1/2.3-inch type", 6.17, 4.55, "common practice"},
        {"8 mm, type S", 5.79, 4.01, "SMPTE ST 157, camera aperture"},
    };
    return all;
}

}  // namespace va
