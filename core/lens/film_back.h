// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <span>

namespace va {

/// Focal length in px of rows for a lens in mm: fx = mm / sensorWidth * pictureWidth columns, and rows count fx *
/// pixelAspect (a pixel twice as wide as high covers two rows' worth). All arguments must be positive.
double focalPxFromMm(double focalMm, double sensorWidthMm, int pictureWidth, double pixelAspect);

/// The inverse of focalPxFromMm.
double focalMmFromPx(double focalPx, double sensorWidthMm, int pictureWidth, double pixelAspect);

/// Angle of view across an extent (mm and mm, or px and px), in radians: 2 atan(extent / 2 f).
double fieldOfView(double focal, double extent);

/// Width of the full-frame film back in mm, the reference of "35 mm equivalent" (ISO 1007: 36 × 24 mm).
inline constexpr double fullFrameWidthMm = 36.0;

/// A film back or sensor by its published size.
struct FilmBack {
    const char* name;
    double widthMm, heightMm;
    const char* source;  ///< standard or common practice that the size comes from
};

/// Common film backs, from large to small.
std::span<const FilmBack> filmBacks();

}  // namespace va
