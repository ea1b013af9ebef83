// SPDX-License-Identifier: GPL-3.0-or-later
// The proof's renderer against closed forms, published worked examples and general-purpose libraries.
#include <OpenImageIO/imagebuf.h>
#include <OpenImageIO/imagebufalgo.h>
#include <gtest/gtest.h>
#include <libnova/dynamical_time.h>
#include <libnova/julian_day.h>
#include <libnova/precession.h>
#include <libnova/refraction.h>
#include <libnova/solar.h>
#include <libnova/transform.h>

#include <cmath>
#include <numbers>
#include <random>

#include "base/error.h"
#include "media/colour_space.h"
#include "proof/compose.h"
#include "proof/measure.h"
#include "proof/sun_position.h"
#include "proof_scene.h"

namespace va {
namespace {

constexpr double pi = std::numbers::pi;

// A white surface in even white light sends out what comes in, whatever its roughness (the furnace test; common
// practice of renderers).
TEST(ProofReference, WhiteBallInAWhiteSkyVanishes) {
    Ball ball;
    ball.diameter = 1;
    for (const bool round : {false, true})
        for (const float roughness : {1.0F, 0.5F, 0.2F})
            for (const float metal : {0.0F, 1.0F}) {
                test::ProofScene s;
                s.look({0, 0.9, 4}, {0, 0.5, 0}, 20, 20, 68);
                s.add(ball.shape(), ProofPart::shown, {1, 1, 1, 1}, round);
                s.items[0].roughness = roughness, s.items[0].metalness = metal;
                s.lights = {SkyLight()};
                const auto render = s.render(16384);
                const ProofLayers& l = render->layers();
                int whole = 0;
                double mean = 0, worst = 0;
                for (size_t i = 0; i < l.count(); ++i) {
                    if (l.colour[i].w() < 16383.5F) continue;  // covered by every sample
                    const double v = double(l.colour[i].head<3>().mean()) / double(l.colour[i].w());
                    mean += v, worst = std::max(worst, std::fabs(v - 1)), ++whole;
                }
                ASSERT_GT(whole, 150);
                EXPECT_NEAR(mean / whole, 1, 0.001) << roughness << " " << metal << " " << round;
                EXPECT_LE(worst, 0.002) << roughness << " " << metal << " " << round;
            }
}

/// Share of sky light left at the ground's point below the middle of the picture.
double openAt(test::ProofScene& s, int samples) {
    s.lights = {SkyLight()};
    const auto render = s.render(samples);
    const ProofLayers& l = render->layers();
    double lit = 0, left = 0;
    for (size_t i = 0; i < l.count(); ++i) lit += double(l.skyLight[i].x()), left += double(l.skyLeft[i].x());
    return left / lit;
}

// Configuration factors of a plane element: to a disc over it (Howell, "A Catalog of Radiation Heat Transfer
// Configuration Factors", B-12) and to a rectangle whose corner stands over it (B-4); from memory.
TEST(ProofReference, ShadeUnderADiscAndARectangleIsTheFormFactor) {
    for (const auto& [radius, height] : {std::pair(0.5, 1.0), std::pair(1.0, 0.5), std::pair(0.2, 0.4)}) {
        test::ProofScene s;
        // From the side, below the disc, at 4 × 4 px that show a tenth of a millimetre each.
        s.look({3, 0.7 * height, 0}, {0, 0, 0}, 4, 4, 30000);
        s.add(test::levelRectangle(-50, -50, 50, 50, 0), ProofPart::catcher);
        s.add(test::disc(radius, height));
        const double factor = radius * radius / (height * height + radius * radius);
        EXPECT_NEAR(openAt(s, 1024), 1 - factor, 0.01 * (1 - factor)) << radius << " " << height;
    }
    for (const auto& [a, b, h] : {std::tuple(1.0, 2.0, 1.0), std::tuple(0.5, 0.5, 1.0)}) {
        test::ProofScene s;
        s.look({-3, 0.7 * h, -0.001}, {0, 0, 0}, 4, 4, 30000);
        s.add(test::levelRectangle(-50, -50, 50, 50, 0), ProofPart::catcher);
        s.add(test::levelRectangle(0, 0, a, b, h));
        const double A = a / h, B = b / h, ra = std::sqrt(1 + A * A), rb = std::sqrt(1 + B * B);
        const double factor = (A / ra * std::atan(B / ra) + B / rb * std::atan(A / rb)) / (2 * pi);
        EXPECT_NEAR(openAt(s, 1024), 1 - factor, 0.01 * (1 - factor)) << a << " " << b;
    }
}

/// Share of a disc's area beyond a chord at `x` radii from its middle.
double beyond(double x) {
    if (x <= -1) return 1;
    if (x >= 1) return 0;
    return (std::acos(x) - x * std::sqrt(1 - x * x)) / pi;
}

// The sun's disc of 0.53° over a strip at a height h: full shadow is the strip less h · 0.53°, half shadow h · 0.53° on
// each side (geometry).
TEST(ProofReference, ASoftSunsShadowHasTheWidthsOfGeometry) {
    constexpr double height = 2, strip = 0.1, px = 0.0005;
    const double soft = 2 * height * std::tan(0.53 / 2 * pi / 180);
    test::ProofScene s;
    // From below the strip's height, so that it is not in the way: half a millimetre a px on the ground.
    s.look({0, 1.5, 0}, {0, 0, 0}, 360, 4, 1.5 / px);
    s.add(test::levelRectangle(-50, -50, 50, 50, 0), ProofPart::catcher);
    s.add(test::levelRectangle(-strip / 2, -10, strip / 2, 10, height));
    s.lights = {SunLight{{0, 1, 0}, float(0.53 * pi / 180), {1, 1, 1}}};
    const auto render = s.render(1024);
    const ProofLayers& l = render->layers();
    double worst = 0, area = 0, umbra = 0, penumbra = 0;
    for (int x = 0; x < 360; ++x) {
        double lit = 0, left = 0;
        for (int y = 0; y < 4; ++y) {
            const size_t i = size_t(y) * 360 + size_t(x);
            lit += double(l.keyLight[i].x()), left += double(l.keyLeft[i].x());
        }
        const double share = left / lit, at = (x - 179.5) * px;
        const double truth =
            1 - (beyond((std::fabs(at) - strip / 2) / (soft / 2)) - beyond((std::fabs(at) + strip / 2) / (soft / 2)));
        worst = std::max(worst, std::fabs(share - truth));
        area += (1 - share) * px;
        if (share < 0.002) umbra += px;
        else if (share < 0.998) penumbra += px;
    }
    EXPECT_LE(worst, 0.02);
    EXPECT_NEAR(area, strip, 0.005 * strip) << "shadow is as wide as the strip, seen in all";
    // A segment of a disc is below 0.2 % for the last 2.1 % of its width.
    EXPECT_NEAR(umbra, strip - soft, 0.02 * (strip - soft) + 0.042 * soft);
    EXPECT_NEAR(penumbra, 2 * soft, 0.02 * 2 * soft + 0.084 * soft);
}

// NREL/TP-560-34302, appendix A.5: Golden, Colorado, 17 October 2003.
TEST(ProofReference, TheSunStandsWhereTheReportsExampleHasIt) {
    PlaceAndTime p;
    p.year = 2003, p.month = 10, p.day = 17;
    p.hours = 12 + 30 / 60.0 + 30 / 3600.0, p.zone = -7;
    p.longitude = -105.1786, p.latitude = 39.742476, p.elevation = 1830.14, p.pressure = 820, p.temperature = 11;
    const SunPosition sun = sunPosition(p, 67);
    EXPECT_NEAR(sun.julianDay, 2452930.312847, 1e-6);
    EXPECT_NEAR(sun.heliocentricLongitude, 24.0182616917, 1e-9);
    EXPECT_NEAR(sun.distance, 0.9965422974, 1e-10);
    EXPECT_NEAR(sun.declination, -9.316179, 1e-6);
    EXPECT_NEAR(90 - sun.elevation, 50.11162, 1e-5);
    EXPECT_NEAR(sun.azimuth, 194.34024, 1e-5);
}

TEST(ProofReference, TheSunStandsWhereLibnovaHasIt) {
    std::mt19937 random(5);
    std::uniform_real_distribution<double> unit(0, 1);
    int compared = 0;
    double worst = 0;
    for (int i = 0; i < 400 && compared < 100; ++i) {
        PlaceAndTime p;
        p.year = 1970 + int(unit(random) * 75), p.month = 1 + int(unit(random) * 12),
        p.day = 1 + int(unit(random) * 28);
        p.hours = unit(random) * 24;
        p.latitude = -70 + 140 * unit(random), p.longitude = -180 + 360 * unit(random);
        p.pressure = 0;  // without air: both tell where the sun is
        const SunPosition ours = sunPosition(p);
        if (ours.elevation < 2 || ours.elevation > 88) continue;
        ln_date date{p.year, p.month, p.day, 0, 0, 0};
        const double jd = ln_get_julian_day(&date) + p.hours / 24;
        // Theirs is of the equinox of 2000: precession brings it to the date's.
        ln_equ_posn of2000{}, equatorial{};
        ln_get_solar_equ_coords(jd + ln_get_dynamical_time_diff(jd) / 86400, &of2000);
        ln_get_equ_prec(&of2000, jd, &equatorial);
        // Its light is on its way for eight minutes, in which the earth moves on by 20.5″: theirs leaves that out.
        ln_lnlat_posn ecliptic{};
        ln_get_ecl_from_equ(&equatorial, jd, &ecliptic);
        ecliptic.lng -= 20.4898 / 3600 / ours.distance;
        ln_get_equ_from_ecl(&ecliptic, jd, &equatorial);
        ln_lnlat_posn place{p.longitude, p.latitude};
        ln_hrz_posn seen{};
        ln_get_hrz_from_equ(&equatorial, &place, jd, &seen);
        // Theirs counts from south, from the earth's middle: the sun is 8.8″ nearer to the horizon from the ground.
        const double azimuth = std::fmod(seen.az + 180, 360);
        const double turn = std::remainder(azimuth - ours.azimuth, 360) * std::cos(ours.elevation * pi / 180);
        const double off = std::hypot(turn, seen.alt - 8.794 / 3600 * std::cos(seen.alt * pi / 180) - ours.elevation);
        worst = std::max(worst, off);
        EXPECT_LE(off, 0.01) << p.year << "-" << p.month << "-" << p.day << " " << p.hours;
        ++compared;
    }
    EXPECT_EQ(compared, 100);
    std::printf("sun against libnova: at most %.5f° off\n", worst);
}

TEST(ProofReference, DatesAndPlacesThatCantBeAreSentences) {
    PlaceAndTime p;
    p.month = 13;
    EXPECT_THROW((void)sunPosition(p), InputError);
    p.month = 6, p.latitude = 91;
    EXPECT_THROW((void)sunPosition(p), InputError);
    p.latitude = std::numeric_limits<double>::quiet_NaN();
    EXPECT_THROW((void)sunPosition(p), InputError);
}

// The insert with its alpha over plain backgrounds, by OpenImageIO's `over`.
TEST(ProofReference, TheInsertsAlphaIsRightOverAnyBackground) {
    test::ProofScene s;
    s.look({1.5, 1.2, 3}, {0, 0.3, 0}, 64, 48, 60);
    Ball ball;
    s.add(ball.shape(), ProofPart::shown, {0.9, 0.4, 0.2, 0.7}, true);
    s.add(test::levelRectangle(-5, -5, 5, 5, 0), ProofPart::catcher);
    s.lights = {SunLight{Eigen::Vector3f(1, 2, 1).normalized(), 0.05F, {0.8F, 0.8F, 0.8F}},
                SkyLight{{0.3F, 0.3F, 0.3F}, nullptr, Eigen::Matrix3f::Identity()}};
    s.options.catchers.resize(2);
    s.options.catchers[1].mirror = 0.4F;
    const auto render = s.render(16);
    ComposeOptions options;
    const Picture insert = insertOf(render->layers(), options);
    for (const float grey : {0.0F, 0.18F, 1.0F}) {
        Picture plate(64, 48);
        for (size_t i = 0; i < plate.data.size(); ++i) plate.data[i] = i % 4 == 3 ? 1 : grey;
        const Picture ours = composed(plate, PictureEncoding::linear, render->layers(), options);
        const OIIO::ImageSpec spec(64, 48, 4, OIIO::TypeDesc::FLOAT);
        OIIO::ImageBuf a(spec, const_cast<float*>(insert.data.data())), b(spec, plate.data.data());
        const OIIO::ImageBuf over = OIIO::ImageBufAlgo::over(a, b);
        ASSERT_FALSE(over.has_error()) << over.geterror();
        double worst = 0;
        int changed = 0;
        for (int y = 0; y < 48; ++y)
            for (int x = 0; x < 64; ++x)
                for (int c = 0; c < 3; ++c) {
                    worst = std::max(worst, std::fabs(double(over.getchannel(x, y, 0, c)) - double(ours.at(x, y)[c])));
                    changed += ours.at(x, y)[c] != grey;
                }
        EXPECT_LE(worst, 1e-3) << grey;
        EXPECT_GT(changed, 300) << grey;
    }
}

// Slanted edges blurred by known Gaussians: the integral of the Gaussian over the edge's distance.
// Linear Rec. 709 to ACEScg and to ACES2065-1 with Bradford's adaptation: matrices worked out here from the published
// chromaticities (SMPTE RP 177 for the matrices, Lam 1985 for the adaptation).
TEST(ProofReference, ColoursInOtherSpacesFollowFromTheirChromaticities) {
    using Matrix = Eigen::Matrix3d;
    const auto xyz = [](double x, double y) { return Eigen::Vector3d(x / y, 1, (1 - x - y) / y); };
    const auto toXyz = [&](const std::array<float, 8>& c) {
        Matrix m;
        for (int k = 0; k < 3; ++k)
            m.col(k) = Eigen::Vector3d(c[size_t(2 * k)], c[size_t(2 * k) + 1],
                                       1 - double(c[size_t(2 * k)]) - double(c[size_t(2 * k) + 1]));
        const Eigen::Vector3d white = xyz(double(c[6]), double(c[7]));
        return Matrix(m * (m.inverse() * white).asDiagonal());
    };
    Matrix bradford;
    bradford << 0.8951, 0.2664, -0.1614, -0.7502, 1.7135, 0.0367, 0.0389, -0.0685, 1.0296;
    const LightSpace& from = lightSpaces()[0];
    const Eigen::Vector3d light(0.2, 0.5, 0.9);
    for (size_t i = 1; i < lightSpaces().size(); ++i) {
        const LightSpace& to = lightSpaces()[i];
        const Eigen::Vector3d a = bradford * xyz(double(from.chromaticities[6]), double(from.chromaticities[7])),
                              b = bradford * xyz(double(to.chromaticities[6]), double(to.chromaticities[7]));
        const Matrix adapt = bradford.inverse() * b.cwiseQuotient(a).asDiagonal() * bradford;
        const Eigen::Vector3d expected =
            toXyz(to.chromaticities).inverse() * adapt * toXyz(from.chromaticities) * light;
        Picture p(1, 1);
        for (int c = 0; c < 3; ++c) p.at(0, 0)[c] = float(light[c]);
        p.at(0, 0)[3] = 0.3F;
        toLightSpace(p, to);
        for (int c = 0; c < 3; ++c) EXPECT_NEAR(double(p.at(0, 0)[c]), expected[c], 2e-4) << to.word << " " << c;
        EXPECT_EQ(p.at(0, 0)[3], 0.3F);
    }
}

TEST(ProofReference, BlurOfSlantedEdgesIsMeasured) {
    for (const double sigma : {0.6, 1.0, 1.5, 2.2})
        for (const double degrees : {4.0, 10.0, 86.0, 97.0}) {
            Luma luma(64, 64);
            const double a = degrees * pi / 180;
            for (int y = 0; y < 64; ++y)
                for (int x = 0; x < 64; ++x) {
                    const double d = (x - 31.3) * std::cos(a) + (y - 32.1) * std::sin(a);
                    luma.at(x, y) = float(60 + 120 * 0.5 * std::erfc(-d / (sigma * std::sqrt(2.0))));
                }
            const auto found = edgeBlur(luma, 14, 14, 36, 36);
            ASSERT_TRUE(found) << sigma << " " << degrees;
            EXPECT_NEAR(*found, sigma, 0.15 * sigma) << degrees;
        }
    Luma flat(64, 64);
    EXPECT_FALSE(edgeBlur(flat, 14, 14, 36, 36)) << "no edge";
}

TEST(ProofReference, GrainOfKnownStrengthIsMeasured) {
    for (const float sigma : {0.01F, 0.03F}) {
        for (const float size : {1.0F, 2.2F}) {
            Picture p(320, 240);
            for (int y = 0; y < p.height; ++y)
                for (int x = 0; x < p.width; ++x)
                    for (int c = 0; c < 3; ++c)
                        p.at(x, y)[c] =
                            0.3F + 0.0003F * float(x) + (x / 80 % 2 ? 0.2F : 0) + sigma * grainAt(x, y, c, 3, size);
            const GrainMeasure g = measureGrain(p);
            for (int c = 0; c < 3; ++c) EXPECT_NEAR(g.sigma[c], sigma, 0.15F * sigma) << size;
            EXPECT_NEAR(g.size, size, 0.35F * size);
        }
    }
}

}  // namespace
}  // namespace va
