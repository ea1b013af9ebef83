// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <Eigen/Geometry>

#include "track/mask_shape.h"

namespace va {
namespace {

std::vector<MaskPoint> square(double x, double y, double side) {
    const Eigen::Vector2d none = Eigen::Vector2d::Zero();
    return {{{x, y}, none, none},
            {{x + side, y}, none, none},
            {{x + side, y + side}, none, none},
            {{x, y + side}, none, none}};
}

MaskShape shape(const std::vector<MaskPoint>& points, int frame = 10) {
    MaskShape m;
    m.id = 1;
    m.setPoints(frame, points);
    return m;
}

TEST(MaskShape, KeysGoEvenlyAndStandOutside) {
    MaskShape m = shape(square(0, 0, 10));
    m.setPoints(20, square(100, 50, 10));
    EXPECT_EQ(m.pointsAt(5)[0].at, Eigen::Vector2d(0, 0));
    EXPECT_EQ(m.pointsAt(15)[0].at, Eigen::Vector2d(50, 25));
    EXPECT_EQ(m.pointsAt(99)[2].at, Eigen::Vector2d(110, 60));
    m.setPoints(20, square(200, 50, 10));
    EXPECT_EQ(m.keys.size(), 2U) << "a frame has one key";
}

TEST(MaskShape, BezierCircleHasItsArea) {
    // Four arcs with handles of 0.5523 radii are a circle to 0.03 % (common practice in drawing programs).
    const double r = 100, k = 0.5523 * r;
    const auto points = std::vector<MaskPoint>{
        {{r, 0}, {0, -k}, {0, k}}, {{0, r}, {k, 0}, {-k, 0}}, {{-r, 0}, {0, k}, {0, -k}}, {{0, -r}, {-k, 0}, {k, 0}}};
    const auto outline = flattened(points);
    double area = 0;
    for (size_t i = 0, j = outline.size() - 1; i < outline.size(); j = i++)
        area += 0.5 * (outline[j].x() * outline[i].y() - outline[i].x() * outline[j].y());
    EXPECT_NEAR(area, M_PI * r * r, 0.001 * M_PI * r * r);
    EXPECT_NEAR(signedDistance(outline, {60, 80}), 0, 0.2);
    EXPECT_NEAR(signedDistance(outline, {0, 0}), -100, 0.3);
    EXPECT_NEAR(signedDistance(outline, {150, 0}), 50, 0.1);
}

TEST(MaskShape, InsertingAPointKeepsTheShape) {
    MaskShape m = shape({{{0, 0}, {0, 0}, {20, -30}}, {{100, 0}, {-10, -40}, {0, 0}}, {{50, 80}, {0, 0}, {0, 0}}});
    m.setPoints(20, square(0, 0, 10));
    std::vector<MaskPoint> shorter = m.keys.keys()[1].value;
    shorter.resize(3);
    m.keys.set(m.keys.keys()[1].frame, shorter);
    const auto before = flattened(m.pointsAt(10));
    m.insertPoint(0);
    ASSERT_EQ(m.keys.keys()[0].value.size(), 4U);
    ASSERT_EQ(m.keys.keys()[1].value.size(), 4U) << "all keys have as many points";
    for (const auto& p : flattened(m.pointsAt(10))) EXPECT_LT(std::fabs(signedDistance(before, p)), 0.3);
    m.removePoint(1);
    m.removePoint(0);
    EXPECT_EQ(m.keys.keys()[0].value.size(), 3U) << "three stay";
}

TEST(MaskSet, ExcludesIncludesInvertsGrowsAndFades) {
    const auto set = [](std::vector<MaskShape> shapes) { return MaskSet(std::move(shapes), {}); };
    MaskShape out = shape(square(100, 100, 50));
    EXPECT_FALSE(set({out}).allowed(1, 120, 120));
    EXPECT_TRUE(set({out}).allowed(1, 90, 120));
    MaskShape in = out;
    in.exclude = false;
    EXPECT_TRUE(set({in}).allowed(1, 120, 120));
    EXPECT_FALSE(set({in}).allowed(1, 90, 120));
    MaskShape inverted = out;
    inverted.invert = true;
    EXPECT_TRUE(set({inverted}).allowed(1, 120, 120));
    EXPECT_FALSE(set({inverted}).allowed(1, 90, 120));
    MaskShape grown = out;
    grown.grow = 15;
    EXPECT_FALSE(set({grown}).allowed(1, 90, 120));
    grown.grow = -15;
    EXPECT_TRUE(set({grown}).allowed(1, 110, 120));
    EXPECT_FALSE(set({grown}).allowed(1, 125, 125));
    MaskShape soft = out;
    soft.feather = 20;
    EXPECT_NEAR(set({soft}).coverage(1, 100, 125), 0.5, 1e-9);
    EXPECT_NEAR(set({soft}).coverage(1, 95, 125), 0.25, 1e-9);
    EXPECT_EQ(set({soft}).coverage(1, 80, 125), 0);
    MaskShape off = out;
    off.enabled = false;
    EXPECT_TRUE(set({off}).empty());
    // An excluding one inside of an including one.
    MaskShape hole = shape(square(110, 110, 10));
    EXPECT_FALSE(set({in, hole}).allowed(1, 115, 115));
    EXPECT_TRUE(set({in, hole}).allowed(1, 130, 130));
}

TEST(MaskSet, RidesAndIsAwayWhereItsRideIs) {
    MaskShape m = shape(square(0, 0, 20));
    m.ride = MaskRide::path;
    m.rideId = 7;
    const MaskSet set({m}, [](const MaskShape& s, int frame) -> std::optional<Eigen::Matrix3d> {
        EXPECT_EQ(s.rideId, 7);
        if (frame > 20) return std::nullopt;
        Eigen::Matrix3d shift = Eigen::Matrix3d::Identity();
        shift(0, 2) = 10.0 * frame;
        return shift;
    });
    EXPECT_FALSE(set.allowed(5, 60, 10));
    EXPECT_TRUE(set.allowed(5, 10, 10));
    EXPECT_TRUE(set.allowed(25, 255, 10)) << "the ride is not there, so the mask is not either";
}

}  // namespace
}  // namespace va
