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

}  // namespace va
