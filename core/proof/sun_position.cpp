// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/sun_position.h"

#include <cmath>
#include <span>

#include "base/error.h"
#include "base/text.h"
#include "proof/sun_terms.h"

namespace va {
namespace {

constexpr double degree = M_PI / 180;

double turned(double degrees) {
    const double d = std::fmod(degrees, 360);
    return d < 0 ? d + 360 : d;
}
double sum(std::span<const sun::Term> terms, double millennia) {
    double out = 0;
    for (const auto& t : terms) out += t.a * std::cos(t.b + t.c * millennia);
    return out;
}

double julianDayOf(const PlaceAndTime& p, double utHours) {
    int y = p.year, m = p.month;
    if (m <= 2) --y, m += 12;
    double jd = std::floor(365.25 * (y + 4716)) + std::floor(30.6001 * (m + 1)) + p.day - 1524.5;
    if (jd > 2299160) {  // the calendar by Gregory XIII
        const double a = std::floor(y / 100.0);
        jd += 2 - a + std::floor(a / 4);
    }
    return jd + utHours / 24;
}

/// Terrestrial time less UT for a year, s: polynomials of Espenak & Meeus for 1900–2150, and the parabola beyond.
double deltaTOf(double y) {
    if (y >= 2005 && y <= 2050) {
        const double t = y - 2000;
        return 62.92 + 0.32217 * t + 0.005589 * t * t;
    }
    if (y >= 1986 && y < 2005) {
        const double t = y - 2000;
        return 63.86 + t * (0.3345 + t * (-0.060374 + t * (0.0017275 + t * (0.000651814 + t * 0.00002373599))));
    }
    if (y >= 1961 && y < 1986) {
        const double t = y - 1975;
        return 45.45 + 1.067 * t - t * t / 260 - t * t * t / 718;
    }
    const double u = (y - 1820) / 100;
    return -20 + 32 * u * u;
}

}  // namespace

SunPosition sunPosition(const PlaceAndTime& p, std::optional<double> givenDeltaT) {
    constexpr int days[] = {31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
    const auto in = [](double v, double low, double high) { return v >= low && v <= high; };
    if (p.year < -2000 || p.year > 6000 || p.month < 1 || p.month > 12 || p.day < 1 || p.day > days[p.month - 1] ||
        !in(p.hours, 0, 24) || !in(p.zone, -18, 18))
        throw InputError(
            text("There is no such date and time. Give a day of a month, hours from 0 to 24, and the hours "
                 "that the clock is ahead of UT."));
    if (!in(p.latitude, -90, 90) || !in(p.longitude, -180, 180) || !in(p.elevation, -1000, 20000) ||
        !in(p.pressure, 0, 1500) || !in(p.temperature, -100, 100))
        throw InputError(
            text("There is no such place. Give a latitude from −90° to 90° and a longitude from −180° to "
                 "180°."));
    SunPosition out;
    const double jd = out.julianDay = julianDayOf(p, p.hours - p.zone);
    const double deltaT = givenDeltaT.value_or(deltaTOf(p.year + (p.month - 0.5) / 12));
    const double jde = jd + deltaT / 86400, jc = (jd - 2451545) / 36525, jce = (jde - 2451545) / 36525, jme = jce / 10;
    // The earth about the sun.
    const auto series = [&](std::initializer_list<std::span<const sun::Term>> of) {
        double power = 1, total = 0;
        for (const auto& terms : of) total += power * sum(terms, jme), power *= jme;
        return total / 1e8;
    };
    const double l = turned(series({sun::l0, sun::l1, sun::l2, sun::l3, sun::l4, sun::l5}) / degree);
    const double b = series({sun::b0, sun::b1}) / degree;
    const double r = series({sun::r0, sun::r1, sun::r2, sun::r3, sun::r4});
    out.heliocentricLongitude = l, out.distance = r;
    const double theta = turned(l + 180), beta = -b;
    // Nutation.
    const auto cubic = [](double t, double a, double b1, double c, double d) { return a + t * (b1 + t * (c + t * d)); };
    const double x[5] = {cubic(jce, 297.85036, 445267.111480, -0.0019142, 1.0 / 189474),
                         cubic(jce, 357.52772, 35999.050340, -0.0001603, -1.0 / 300000),
                         cubic(jce, 134.96298, 477198.867398, 0.0086972, 1.0 / 56250),
                         cubic(jce, 93.27191, 483202.017538, -0.0036825, 1.0 / 327270),
                         cubic(jce, 125.04452, -1934.136261, 0.0020708, 1.0 / 450000)};
    double psi = 0, epsilon = 0;
    for (const auto& t : sun::nutation) {
        double angle = 0;
        for (int k = 0; k < 5; ++k) angle += x[k] * t.y[k];
        psi += (t.a + t.b * jce) * std::sin(angle * degree);
        epsilon += (t.c + t.d * jce) * std::cos(angle * degree);
    }
    psi /= 36000000, epsilon /= 36000000;
    const double u = jme / 10;
    const double obliquity =
        (84381.448 +
         u * (-4680.93 +
              u * (-1.55 +
                   u * (1999.25 +
                        u * (-51.38 +
                             u * (-249.67 + u * (-39.05 + u * (7.12 + u * (27.87 + u * (5.79 + u * 2.45)))))))))) /
            3600 +
        epsilon;
    const double apparent = theta + psi - 20.4898 / (3600 * r);
    const double sidereal =
        turned(280.46061837 + 360.98564736629 * (jd - 2451545) + jc * jc * (0.000387933 - jc / 38710000)) +
        psi * std::cos(obliquity * degree);
    const double sl = std::sin(apparent * degree), cl = std::cos(apparent * degree), se = std::sin(obliquity * degree),
                 ce = std::cos(obliquity * degree), tb = std::tan(beta * degree);
    const double ascension = turned(std::atan2(sl * ce - tb * se, cl) / degree);
    const double declination = std::asin(std::sin(beta * degree) * ce + std::cos(beta * degree) * se * sl);
    const double hour = turned(sidereal + p.longitude - ascension) * degree;
    // From the observer's place instead of the earth's middle.
    const double xi = 8.794 / (3600 * r) * degree, phi = p.latitude * degree;
    const double flat = std::atan(0.99664719 * std::tan(phi)),
                 px = std::cos(flat) + p.elevation / 6378140 * std::cos(phi),
                 py = 0.99664719 * std::sin(flat) + p.elevation / 6378140 * std::sin(phi);
    const double shift =
        std::atan2(-px * std::sin(xi) * std::sin(hour), std::cos(declination) - px * std::sin(xi) * std::cos(hour));
    const double local = std::atan2((std::sin(declination) - py * std::sin(xi)) * std::cos(shift),
                                    std::cos(declination) - px * std::sin(xi) * std::cos(hour));
    const double hourLocal = hour - shift;
    out.declination = local / degree, out.hourAngle = turned(hourLocal / degree);
    const double e0 =
        std::asin(std::sin(phi) * std::sin(local) + std::cos(phi) * std::cos(local) * std::cos(hourLocal)) / degree;
    // The air lifts what is above the horizon, or just below it.
    double lift = 0;
    if (e0 >= -(0.26667 + 0.5667))
        lift = p.pressure / 1010 * (283 / (273 + p.temperature)) * 1.02 /
               (60 * std::tan((e0 + 10.3 / (e0 + 5.11)) * degree));
    out.elevation = e0 + lift;
    out.azimuth =
        turned(std::atan2(std::sin(hourLocal), std::cos(hourLocal) * std::sin(phi) - std::tan(local) * std::cos(phi)) /
                   degree +
               180);
    return out;
}

Eigen::Vector3d sunDirection(const SunPosition& sun, double north) {
    const double a = north + sun.azimuth * degree, e = sun.elevation * degree;
    return {std::cos(e) * std::sin(a), std::sin(e), -std::cos(e) * std::cos(a)};
}

}  // namespace va
