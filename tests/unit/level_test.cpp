// SPDX-License-Identifier: GPL-3.0-or-later
// Surfaces, floors and the level, on made-up points.
#include "ground/level.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace va {
namespace {

using Eigen::Vector3d;

constexpr double degree = M_PI / 180;

SurePoint pointAt(int id, const Vector3d& position, double sigma, double depth = 6) {
    SurePoint p;
    p.pathId = id;
    p.position = position;
    p.covariance = sigma * sigma * Eigen::Matrix3d::Identity();
    p.depth = depth;
    p.perPx = depth / 1000;
    return p;
}

double angleDeg(const Vector3d& a, const Vector3d& b) { return std::atan2(a.cross(b).norm(), a.dot(b)) / degree; }

class Surfaces : public ::testing::Test {
  protected:
    double normal() { return normal_(random_); }
    double between(double a, double b) { return a + (b - a) * uniform_(random_); }
    std::mt19937_64 random_{5};
    std::normal_distribution<double> normal_;
    std::uniform_real_distribution<double> uniform_;
};

TEST_F(Surfaces, OutliersAreNamedAndTheFitIsWithoutThem) {
    std::vector<SurePoint> points;
    for (int i = 0; i < 60; ++i) points.push_back(pointAt(i, {between(-3, 3), 0.01 * normal(), between(-2, 2)}, 0.01));
    for (int i = 60; i < 75; ++i) points.push_back(pointAt(i, {between(-3, 3), between(0.2, 1), between(-2, 2)}, 0.01));
    const auto s = fitSurface(points, true);
    ASSERT_TRUE(s);
    for (int i = 60; i < 75; ++i)
        EXPECT_NE(std::find(s->outliers.begin(), s->outliers.end(), i), s->outliers.end()) << i;
    EXPECT_GE(s->paths.size(), 57U);
    EXPECT_LT(angleDeg(s->plane.normal.y() > 0 ? s->plane.normal : -s->plane.normal, Vector3d::UnitY()), 0.3);
    EXPECT_NEAR(s->halfU, 3, 0.3);
    EXPECT_NEAR(s->halfV, 2, 0.3);
    EXPECT_NEAR(s->plane.rms, 0.01, 0.004);
    EXPECT_NEAR(s->rmsPx, 0.01 / (6.0 / 1000), 1);
    const auto corners = s->corners();
    for (size_t i = 0; i < 4; ++i) {
        EXPECT_NEAR(s->plane.distance(corners[i]), 0, 1e-9);
        const Vector3d turn = (corners[(i + 1) % 4] - corners[i]).cross(corners[(i + 2) % 4] - corners[(i + 1) % 4]);
        EXPECT_GT(turn.dot(s->plane.normal), 0) << "counter-clockwise from the normal's side";
    }
}

// The stated covariance is that of the fit: over many draws, errors divided by it have unit variance.
TEST_F(Surfaces, CovarianceCoversTheScatter) {
    double tilt = 0, offset = 0;
    const int draws = 300;
    for (int d = 0; d < draws; ++d) {
        std::vector<SurePoint> points;
        for (int i = 0; i < 40; ++i) {
            const double sigma = between(0.005, 0.03);
            points.push_back(pointAt(i, {between(-3, 3), sigma * normal(), between(-2, 2)}, sigma));
        }
        auto s = fitSurface(points, false);
        ASSERT_TRUE(s);
        if (s->plane.normal.y() < 0) s->flip();
        // The normal that a rotation by (a, b) about u and v makes of the true one.
        const Vector3d off = s->plane.normal - Vector3d::UnitY();
        const Eigen::Vector2d e(-off.dot(s->v), off.dot(s->u));
        const Eigen::Matrix2d c = s->covariance.topLeftCorner<2, 2>();
        tilt += e.dot(c.inverse() * e) / 2;
        offset += std::pow(s->plane.distance({s->centre.x(), 0, s->centre.z()}), 2) / s->covariance(2, 2);
    }
    EXPECT_NEAR(std::sqrt(tilt / draws), 1, 0.15);
    EXPECT_NEAR(std::sqrt(offset / draws), 1, 0.15);
}

TEST_F(Surfaces, DegenerateInputGivesNothing) {
    std::vector<SurePoint> points;
    EXPECT_FALSE(fitSurface(points, true));
    for (int i = 0; i < 20; ++i) points.push_back(pointAt(i, {i * 0.1, i * 0.2, 0}, 0.001));
    EXPECT_FALSE(fitSurface(points, true)) << "in a row";
    EXPECT_FALSE(fitSurface(points, false));
    EXPECT_FALSE(fitFloor(points, PlaneFit{}, 0)) << "no height";
    EXPECT_TRUE(findCandidates({}, Vector3d::Zero(), Vector3d::UnitY()).empty());
}

// Stones lie on a floor and not in it, and far away hardly anything but stones is seen.
TEST_F(Surfaces, AFloorIsUnderWhatLiesOnIt) {
    std::gamma_distribution<double> stone(2, 0.025);
    double squares = 0, plain = 0;
    const int draws = 20;
    for (int d = 0; d < draws; ++d) {
        std::vector<SurePoint> points;
        for (int i = 0; i < 240; ++i) {
            const double z = between(2, 12), x = between(-0.5, 0.5) * z;
            const double onStone = between(0, 1) < 0.3 + 0.06 * z ? stone(random_) * (0.5 + z / 8) : 0;
            points.push_back(pointAt(i, {x, onStone + 0.003 * normal(), -z}, 0.003, z));
        }
        auto middle = fitSurface(points, true);
        ASSERT_TRUE(middle);
        if (middle->plane.normal.y() < 0) middle->flip();
        const auto floor = fitFloor(points, middle->plane, 1.6);
        ASSERT_TRUE(floor);
        const double off = angleDeg(floor->plane.normal, Vector3d::UnitY());
        EXPECT_LT(off, 0.12);
        EXPECT_NEAR(floor->plane.distance({0, 0, -5}), 0, 0.004) << "mm under the middle of all points";
        squares += std::pow(off / (std::sqrt(floor->covariance.topLeftCorner<2, 2>().trace()) / degree), 2);
        plain += angleDeg(middle->plane.normal, Vector3d::UnitY()) / draws;
    }
    EXPECT_GT(plain, 0.25) << "the plane through the middle of all points rises with the distance";
    EXPECT_NEAR(std::sqrt(squares / draws), 1, 0.5);
}

TEST_F(Surfaces, CandidatesAreThePlanesOfTheCloud) {
    std::vector<SurePoint> points;
    int id = 0;
    const auto add = [&](const Vector3d& p) {
        points.push_back(pointAt(id++, p, 0.004, (p - Vector3d(0, 1.6, 3)).norm()));
    };
    for (int i = 0; i < 200; ++i) add({between(-4, 4), 0.004 * normal(), between(-6, 1)});
    for (int i = 0; i < 80; ++i) add({between(-3, 3), between(0, 2.5), -6 + 0.004 * normal()});
    for (int i = 0; i < 40; ++i) add({2 + between(-0.6, 0.6), 0.8 + 0.004 * normal(), -2 + between(-0.4, 0.4)});
    for (int i = 0; i < 60; ++i) add({between(-4, 4), between(0.1, 3), between(-5, 0)});
    const auto found = findCandidates(points, {0, 1.6, 3}, Vector3d::UnitY());
    ASSERT_GE(found.size(), 3U);
    EXPECT_EQ(found[0].kind, SurfaceKind::floor);
    EXPECT_LT(angleDeg(found[0].surface.plane.normal, Vector3d::UnitY()), 0.5);
    bool wall = false, top = false;
    for (const Candidate& c : found) {
        EXPECT_GT(c.surface.plane.distance({0, 1.6, 3}), 0) << "normals look at the cameras";
        wall = wall || (c.kind == SurfaceKind::wall && angleDeg(c.surface.plane.normal, Vector3d::UnitZ()) < 1);
        top = top || (c.kind == SurfaceKind::top && std::fabs(c.surface.centre.y() - 0.8) < 0.02);
    }
    EXPECT_TRUE(wall);
    EXPECT_TRUE(top);
}

LevelRows row(LevelKind kind, const Vector3d& level, double sigmaDeg, int count = 20) {
    return {kind, {level.normalized()}, {sigmaDeg * degree}, count};
}

TEST(Level, TwoWallsThatAreNotParallelAreEnough) {
    const Vector3d up = Vector3d(0.05, 1, -0.02).normalized();
    const Vector3d a = up.cross(Vector3d(1, 0, 0.3)), b = up.cross(Vector3d(0.2, 0, 1));
    const auto fit = fitLevel({row(LevelKind::wall, a, 0.2), row(LevelKind::wall, b, 0.2)}, Vector3d::UnitY(), false);
    ASSERT_TRUE(fit);
    EXPECT_LT(angleDeg(fit->up, up), 1e-6);
    EXPECT_FALSE(fitLevel({row(LevelKind::wall, a, 0.2)}, Vector3d::UnitY(), false)) << "one leaves it open";
    EXPECT_FALSE(fitLevel({row(LevelKind::wall, a, 0.2), row(LevelKind::wall, -a, 0.2)}, Vector3d::UnitY(), false));
    EXPECT_FALSE(fitLevel({}, Vector3d::UnitY(), true));
}

TEST(Level, EvidenceIsWeighedByItsDeviation) {
    // A sure floor, and one that is ten times less sure and a degree off.
    const Vector3d tilted(std::sin(1 * degree), std::cos(1 * degree), 0);
    const LevelRows sure{LevelKind::floor, {Vector3d::UnitX(), Vector3d::UnitZ()}, {0.001, 0.001}, 50};
    const LevelRows unsure{
        LevelKind::floor, {Vector3d(tilted.y(), -tilted.x(), 0), Vector3d::UnitZ()}, {0.01, 0.01}, 50};
    const auto fit = fitLevel({sure, unsure}, Vector3d::UnitY(), false);
    ASSERT_TRUE(fit);
    EXPECT_NEAR(angleDeg(fit->up, Vector3d::UnitY()), 1 / 101.0, 0.002);
    EXPECT_NEAR(fit->reports[1].misfitDeg, 1, 0.02);
}

TEST(Level, WhatContradictsIsLeftOut) {
    std::vector<LevelRows> evidence;
    evidence.push_back({LevelKind::floor, {Vector3d::UnitX(), Vector3d::UnitZ()}, {0.0005, 0.0005}, 90});
    evidence.push_back(row(LevelKind::wall, {1, 0.002, 0.4}, 0.2));
    evidence.push_back(row(LevelKind::wall, {1, 0.15, -0.4}, 0.2, 30));  // leans by 8°
    for (int i = 0; i < 20; ++i)
        evidence.push_back(row(LevelKind::upright, {std::cos(i), 0.001 * std::sin(3 * i), std::sin(i)}, 0.2, 1));
    const auto fit = fitLevel(evidence, Vector3d(0.2, 1, 0.1).normalized(), true);
    ASSERT_TRUE(fit);
    EXPECT_LT(angleDeg(fit->up, Vector3d::UnitY()), 0.05);
    EXPECT_TRUE(fit->reports[0].used);
    EXPECT_TRUE(fit->reports[1].used);
    EXPECT_FALSE(fit->reports[2].used);
    EXPECT_NEAR(fit->reports[2].misfitDeg, 8, 0.5);
}

}  // namespace
}  // namespace va
