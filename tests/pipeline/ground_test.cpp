// SPDX-License-Identifier: GPL-3.0-or-later
// The automatic level on made-up places, solved from their paths, against the true upright.
#include "ground/ground.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "place_trials.h"

namespace va {
namespace {

TEST(AutomaticLevel, MadeUpPlacesAndItsOwnDeviation) {
    double squares = 0;
    int count = 0;
    for (uint64_t seed = 200; seed < 220; ++seed) {
        const test::PlaceTrial place = test::makePlace(test::mixedPlace(seed), seed);
        Progress progress;
        const auto solve = std::make_shared<SolveResult>(solveShot(place.paths, place.request, progress));
        ASSERT_EQ(solve->motion, Motion::free) << seed;
        const GroundFit ground = buildGround(*makeGroundBasis(solve, place.lines), {});
        const Eigen::Vector3d up = ground.worldFromSolve.rotation.conjugate() * Eigen::Vector3d::UnitY();
        const Eigen::Vector3d truth = test::trueUp(*solve, place.cameras);
        const double off = std::atan2(up.cross(truth).norm(), up.dot(truth)) * 180 / M_PI;
        std::printf("place %d, %d walls%s: %.3f deg off, stated %.3f\n", int(seed), place.walls,
                    place.hilly ? ", hilly" : "", off, ground.levelSigmaDeg);
        if (!place.hilly || place.walls >= 2) {
            EXPECT_LE(off, 0.3) << seed;
        }
        EXPECT_LT(off, 4 * ground.levelSigmaDeg) << seed;
        squares += std::pow(off / ground.levelSigmaDeg, 2);
        ++count;
    }
    const double ratio = std::sqrt(squares / count);
    EXPECT_GE(ratio, 0.8);
    EXPECT_LE(ratio, 1.25);
}

// Hills without walls hold even spots at any tilt. Nothing is asked of how near the level comes; what it says of itself
// has to hold, with edges of boxes and without any.
TEST(AutomaticLevel, HillsAreNotTakenForAFloor) {
    double alone = 0, withEdges = 0;
    int count = 0;
    for (uint64_t seed = 400; seed < 412; ++seed) {
        test::PlaceOptions options = test::mixedPlace(seed);
        options.hilly = true;
        options.walls = 0;
        options.boxes = int(seed % 3) * 2;
        options.stones = 0.15 * double(seed % 4);
        const test::PlaceTrial place = test::makePlace(options, seed);
        Progress progress;
        const auto solve = std::make_shared<SolveResult>(solveShot(place.paths, place.request, progress));
        ASSERT_EQ(solve->motion, Motion::free) << seed;
        const Eigen::Vector3d truth = test::trueUp(*solve, place.cameras);
        const auto ratio = [&](const std::vector<PictureLine>& lines) {
            const GroundFit ground = buildGround(*makeGroundBasis(solve, lines), {});
            const Eigen::Vector3d up = ground.worldFromSolve.rotation.conjugate() * Eigen::Vector3d::UnitY();
            const double off = std::atan2(up.cross(truth).norm(), up.dot(truth)) * 180 / M_PI;
            EXPECT_LT(off, 4 * ground.levelSigmaDeg) << seed;
            std::printf("hills %d: %.2f deg off, stated %.2f\n", int(seed), off, ground.levelSigmaDeg);
            if (ground.levelSigmaDeg > 1) {
                EXPECT_FALSE(ground.trouble.empty()) << seed;
            }
            return off / ground.levelSigmaDeg;
        };
        alone += std::pow(ratio({}), 2);
        withEdges += std::pow(ratio(place.lines), 2);
        ++count;
    }
    EXPECT_LE(std::sqrt(alone / count), 1.25);
    EXPECT_LE(std::sqrt(withEdges / count), 1.4);
}

TEST(AutomaticLevel, APlaceThatOffersNothingSaysSo) {
    test::PlaceOptions bare;
    bare.ground = false;
    bare.walls = 0;
    bare.boxes = 0;
    bare.features = 60;
    test::PlaceTrial place = test::makePlace(bare, 7);
    // Points in a ball, seen from all along the path.
    std::mt19937_64 random(3);
    std::normal_distribution<double> normal;
    place.paths.clear();
    for (int id = 1; id <= 200; ++id) {
        const Eigen::Vector3d x =
            Eigen::Vector3d(0, 1.5, -8) + 2 * Eigen::Vector3d(normal(random), normal(random), normal(random));
        Path path;
        path.id = id;
        for (size_t f = 0; f < place.cameras.size(); ++f) {
            const auto p = project(place.cameras[f], place.lens, x);
            if (!p || p->x() < 0 || p->y() < 0 || p->x() > 1279 || p->y() > 719) break;
            PathPoint q;
            q.frame = 1001 + int(f);
            q.x = p->x() + 0.1 * normal(random), q.y = p->y() + 0.1 * normal(random);
            q.sxx = q.syy = 0.01F;
            path.points.push_back(q);
        }
        if (path.points.size() >= 5) place.paths.push_back(std::move(path));
    }
    Progress progress;
    const auto solve = std::make_shared<SolveResult>(solveShot(place.paths, place.request, progress));
    ASSERT_EQ(solve->motion, Motion::free);
    const GroundFit ground = buildGround(*makeGroundBasis(solve), {});
    EXPECT_FALSE(ground.trouble.empty());
    EXPECT_GT(ground.levelSigmaDeg, 1);
}

}  // namespace
}  // namespace va
