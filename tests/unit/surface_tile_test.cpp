// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/surface_tile.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace va {
namespace {

/// A camera before a floor and a wall, with points on both.
class Tile : public ::testing::Test {
  protected:
    void SetUp() override {
        lens_.focalPx = 1000;
        lens_.principalPoint = {639.5, 359.5};
        pose_.position = {0, 1.6, 4};
        auto solve = std::make_shared<SolveResult>();
        solve->motion = Motion::free;
        solve->lens = lens_;
        basis_.solve = solve;
        std::mt19937_64 random(2);
        std::uniform_real_distribution<double> uniform(-1, 1);
        for (int i = 0; i < 2400; ++i) {
            if (i % 3) add({4 * uniform(random), 0, -2 + 4 * uniform(random)});
            else add({4 * uniform(random), 1.5 + 1.5 * uniform(random), -6});
        }
    }
    void add(const Eigen::Vector3d& p) {
        SurePoint s;
        s.pathId = int(basis_.points.size()) + 1;
        s.position = p;
        s.covariance = 1e-6 * Eigen::Matrix3d::Identity();
        s.depth = (p - pose_.position).norm();
        s.perPx = s.depth / 1000;
        basis_.points.push_back(s);
    }
    SurfaceFinder finder(const GroundFit& ground = {}) const {
        return {basis_, ground, FrameCamera(pose_, lens_), 1280, 720};
    }
    Eigen::Vector2d seen(const Eigen::Vector3d& p) const { return *project(pose_, lens_, p); }
    GroundBasis basis_;
    Intrinsics lens_;
    CameraPose pose_;
};

TEST_F(Tile, LiesOnTheSurfaceUnderThePointer) {
    const SurfaceFinder surfaces = finder();
    const Eigen::Vector3d onFloor(0.7, 0, 0.4), onWall(1.1, 2, -6);
    const auto floor = surfaces.at(seen(onFloor)), wall = surfaces.at(seen(onWall));
    ASSERT_TRUE(floor && wall);
    EXPECT_LT((floor->foot - onFloor).norm(), 0.01);
    EXPECT_GT(floor->normal.y(), 0.999);
    EXPECT_LT((wall->foot - onWall).norm(), 0.02);
    EXPECT_GT(wall->normal.z(), 0.999);
    EXPECT_GE(floor->points, 5);
    EXPECT_EQ(floor->from, SurfaceTile::From::points);
}

// Beside the edge between two surfaces the tile lies on one of them, not across.
TEST_F(Tile, TwoSurfacesAreNotMixed) {
    const SurfaceFinder surfaces = finder();
    for (double x = -2; x <= 2; x += 0.5) {
        const auto tile = surfaces.at(seen({x, 0.25, -6}));
        ASSERT_TRUE(tile);
        const double tilt = std::acos(std::min(1.0, std::fabs(tile->normal.y()))) * 180 / M_PI;
        EXPECT_TRUE(tilt < 2 || tilt > 88) << x << ": " << tilt;
    }
}

TEST_F(Tile, FallsBackToPlanesAndTheGround) {
    basis_.points.resize(20);
    GroundFit ground;
    Surface plane;
    plane.plane = {Eigen::Vector3d::UnitZ(), -6, 0};
    plane.centre = {0, 1.5, -6};
    plane.u = Eigen::Vector3d::UnitX(), plane.v = Eigen::Vector3d::UnitY();
    plane.halfU = 2, plane.halfV = 1.5;
    ground.planes.push_back({4, plane});
    ground.floor = Surface();
    ground.floor->plane.normal = Eigen::Vector3d::UnitY();
    basis_.points.clear();
    const SurfaceFinder surfaces = finder(ground);
    const auto named = surfaces.at(seen({1, 1, -6}));
    ASSERT_TRUE(named);
    EXPECT_EQ(named->from, SurfaceTile::From::plane);
    EXPECT_EQ(named->plane, 4);
    const auto floor = surfaces.at(seen({3, 0, 1}));
    ASSERT_TRUE(floor);
    EXPECT_EQ(floor->from, SurfaceTile::From::ground);
    EXPECT_NEAR(floor->foot.x(), 3, 1e-6);
    EXPECT_FALSE(surfaces.at({640, 5})) << "the sky";
    EXPECT_FALSE(finder().at({640, 700})) << "nothing is known";
}

}  // namespace
}  // namespace va
