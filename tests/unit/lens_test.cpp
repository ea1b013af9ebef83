// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>

#include "lens/brown_conrady.h"
#include "lens/film_back.h"

namespace va {
namespace {

const BrownConrady lenses[] = {{},
                               {-0.06, 0.012, 0, 0, 0},
                               {0.08, -0.02, 0.003, 0, 0},
                               {-0.22, 0.05, -0.004, 0.0008, -0.0005},
                               {0, 0, 0, 0.002, 0.001}};

TEST(BrownConrady, InverseReturnsToTheStart) {
    for (const auto& l : lenses)
        for (double x = -0.9; x <= 0.9; x += 0.3)
            for (double y = -0.6; y <= 0.6; y += 0.2) {
                const auto back = l.undistort(l.distort({x, y}));
                ASSERT_TRUE(back);
                EXPECT_LT((*back - Eigen::Vector2d(x, y)).norm(), 1e-10) << l.k1 << " at " << x << ", " << y;
            }
}

TEST(BrownConrady, JacobianIsTheSlope) {
    for (const auto& l : lenses) {
        const Eigen::Vector2d p(0.37, -0.22);
        Eigen::Matrix2d j;
        (void)l.distort(p, &j);
        const double h = 1e-6;
        for (int k = 0; k < 2; ++k) {
            const Eigen::Vector2d d = h * Eigen::Vector2d::Unit(k);
            const Eigen::Vector2d slope = (l.distort(p + d) - l.distort(p - d)) / (2 * h);
            EXPECT_LT((slope - j.col(k)).norm(), 1e-8);
        }
    }
}

TEST(BrownConrady, FoldsWhereTheRadiusStopsGrowing) {
    const BrownConrady strong{-0.3, 0, 0, 0, 0};
    // d/dr (r − 0.3 r³) = 0 at r = 1/√0.9
    EXPECT_NEAR(strong.foldRadius(), 1 / std::sqrt(0.9), 1e-9);
    EXPECT_TRUE(std::isinf(BrownConrady{}.foldRadius()));
    EXPECT_FALSE(strong.undistort({0.9, 0})) << "no straight point bends out that far";
    EXPECT_TRUE(strong.undistort({0.6, 0}));
    EXPECT_FALSE(strong.undistort({std::nan(""), 0}));
}

// "36 mm wide film back, 50 mm lens: 39.6° horizontal": angle-of-view table in S. Ray, "Applied Photographic Optics",
// 3rd ed., Focal Press 2002 (value from memory).
TEST(FilmBack, AngleOfViewOfTheStandardLens) {
    EXPECT_NEAR(fieldOfView(50, fullFrameWidthMm) * 180 / M_PI, 39.6, 0.05);
}

// Common practice: a crop-sensor camera (factor about 1.6) with a 17 mm lens sees what 25 to 27 mm sees on full frame.
TEST(FilmBack, CropSensorSeesLikeALongerLens) {
    const double cropWidth = fullFrameWidthMm / 1.6;
    const double px = focalPxFromMm(17, cropWidth, 1920, 1);
    const double equivalent = focalMmFromPx(px, fullFrameWidthMm, 1920, 1);
    EXPECT_GT(equivalent, 25);
    EXPECT_LT(equivalent, 27.5);
}

TEST(FilmBack, PixelAspectStretchesColumns) {
    // Pixels twice as wide: as many rows' worth of focal length again.
    EXPECT_DOUBLE_EQ(focalPxFromMm(30, 36, 1440, 2), 2 * focalPxFromMm(30, 36, 1440, 1));
    EXPECT_NEAR(focalMmFromPx(focalPxFromMm(31.7, 24.89, 2048, 1.33), 24.89, 2048, 1.33), 31.7, 1e-12);
}

}  // namespace
}  // namespace va
