// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>

#include "lens/film_back.h"
#include "lens/lens_model.h"

namespace va {
namespace {

LensModel made(LensKind kind, std::initializer_list<double> values) {
    LensModel m{kind};
    int i = 0;
    for (const double v : values) m.setValue(i++, v);
    return m;
}

const LensModel lenses[] = {
    LensModel{},
    LensModel::brownConrady(-0.06, 0.012),
    LensModel::brownConrady(0.08, -0.02, 0.003),
    LensModel::brownConrady(-0.22, 0.05, -0.004, 0.0008, -0.0005),
    LensModel::brownConrady(0, 0, 0, 0.002, 0.001),
    made(LensKind::brownConrady, {0.31, 0.04, 0, 0.0004, -0.0003, 0.52, 0.11, 0.002}),
    made(LensKind::division, {-0.25}),
    made(LensKind::division, {0.04}),
    made(LensKind::fisheye, {0, 0, 0, 0}),
    made(LensKind::fisheye, {-0.012, 0.021, -0.006, 0.0009}),
    made(LensKind::anamorphic, {0.02, -0.013, -0.09, -0.05, 0.011, 0.007, 0.004, -0.06, -0.12, 0.003, 0.006, 0.012})};

TEST(LensModel, InverseReturnsToTheStart) {
    for (const auto& l : lenses)
        for (double x = -0.9; x <= 0.9; x += 0.3)
            for (double y = -0.6; y <= 0.6; y += 0.2) {
                const auto back = l.undistort(l.distort({x, y}));
                ASSERT_TRUE(back) << lensKindName(l.kind()) << " " << l.brief() << " at " << x << ", " << y;
                // At 2000 px of focal length this is far below a millionth of a pixel.
                EXPECT_LT((*back - Eigen::Vector2d(x, y)).norm(), 1e-10) << l.brief() << " at " << x << ", " << y;
            }
}

TEST(LensModel, JacobiansAreTheDerivatives) {
    for (const auto& l : lenses)
        for (const Eigen::Vector2d& p : {Eigen::Vector2d(0.37, -0.22), {0, 0}, {1e-6, 2e-6}, {-0.8, 0.5}}) {
            Eigen::Matrix2d j;
            LensValueJacobian byValues;
            (void)distortPoint(l.kind(), l.values(), p, &j, &byValues);
            const double h = 1e-6;
            for (int k = 0; k < 2; ++k) {
                const Eigen::Vector2d d = h * Eigen::Vector2d::Unit(k);
                const Eigen::Vector2d slope = (l.distort(p + d) - l.distort(p - d)) / (2 * h);
                EXPECT_LT((slope - j.col(k)).norm(), 1e-8) << l.brief();
            }
            for (int k = 0; k < l.count(); ++k) {
                LensModel more = l, less = l;
                more.setValue(k, l.value(k) + h);
                less.setValue(k, l.value(k) - h);
                const Eigen::Vector2d slope = (more.distort(p) - less.distort(p)) / (2 * h);
                EXPECT_LT((slope - byValues.col(k)).norm(), 1e-8)
                    << lensKindName(l.kind()) << " " << lensValueNames(l.kind())[size_t(k)];
            }
        }
}

TEST(LensModel, FoldsWhereTheRadiusStopsGrowing) {
    const LensModel strong = LensModel::brownConrady(-0.3);
    // d/dr (r − 0.3 r³) = 0 at r = 1/√0.9
    EXPECT_NEAR(strong.foldRadius(), 1 / std::sqrt(0.9), 1e-9);
    EXPECT_TRUE(std::isinf(LensModel{}.foldRadius()));
    EXPECT_FALSE(strong.undistort({0.9, 0})) << "no undistorted point distorts out that far";
    EXPECT_TRUE(strong.undistort({0.6, 0}));
    EXPECT_FALSE(strong.undistort({std::nan(""), 0}));
    EXPECT_TRUE(std::isinf(made(LensKind::division, {-0.25}).foldRadius()));
    // The root vanishes at 4 λ r² = 1.
    EXPECT_NEAR(made(LensKind::division, {0.04}).foldRadius(), 2.5, 1e-6);
    // Barrel distorts to less than 1/√0.25, however far out the undistorted point lies.
    EXPECT_FALSE(made(LensKind::division, {-0.25}).undistort({2.01, 0}));
    EXPECT_TRUE(std::isinf(LensModel(LensKind::fisheye).foldRadius()));
    EXPECT_NEAR(LensModel(LensKind::fisheye).distort({1e6, 0}).x(), M_PI / 2, 1e-5);
    const double edge = made(LensKind::anamorphic, {0, 0, -0.3}).foldRadius();
    EXPECT_LT(edge, 1 / std::sqrt(0.9) * 1.001);
}

TEST(LensModel, NumbersAreFoundByName) {
    LensModel m{LensKind::anamorphic};
    EXPECT_TRUE(m.isZero());
    EXPECT_TRUE(m.setValue("v_yy", -0.1));
    EXPECT_FALSE(m.setValue("k1", -0.1));
    EXPECT_DOUBLE_EQ(m.value("v_yy"), -0.1);
    EXPECT_DOUBLE_EQ(m.value("k1"), 0);
    EXPECT_FALSE(m.isZero());
    EXPECT_EQ(m.brief(), "v_yy −0.1000");
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
