// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>

#include "shot/proof_spec.h"

namespace va {

/// Where the sun stands, degrees.
struct SunPosition {
    double elevation = 0;  ///< above the horizon, as seen through the air
    double azimuth = 0;    ///< eastward from north
    // In between, for checks.
    double julianDay = 0, declination = 0, hourAngle = 0, heliocentricLongitude = 0, distance = 0;
};

/// The sun's position to ± 0.0003° by NREL's solar position algorithm (Reda & Andreas, "Solar Position Algorithm for
/// Solar Radiation Applications", Solar Energy 76, 2004; NREL/TP-560-34302), years −2000 to 6000. `deltaT`: seconds
/// between terrestrial time and UT; by default the estimate for the year (Espenak & Meeus, NASA/TP-2006-214141).
/// Throws InputError for a date, place or pressure that can't be.
SunPosition sunPosition(const PlaceAndTime& at, std::optional<double> deltaT = std::nullopt);

/// Unit direction to the sun in a world with Y up whose north lies `north` radians from −Z towards +X.
Eigen::Vector3d sunDirection(const SunPosition& sun, double north);

}  // namespace va
