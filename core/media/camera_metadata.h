// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>

namespace va {

/// What a photo says of its camera (EXIF 2.32; read by exiv2).
struct CameraMetadata {
    std::string maker, model, lens;
    std::optional<double> focalMm;        ///< tag FocalLength
    std::optional<double> focal35Mm;      ///< tag FocalLengthIn35mmFilm
    std::optional<double> sensorWidthMm;  ///< width of the picture on the sensor, from FocalPlaneXResolution
    std::optional<double> digitalZoom;    ///< tag DigitalZoomRatio, where it is not 1
};

/// Empty values where the file says nothing, can't be read or has no metadata: never an error.
CameraMetadata readCameraMetadata(const std::string& file);

}  // namespace va
