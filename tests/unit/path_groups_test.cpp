// SPDX-License-Identifier: GPL-3.0-or-later
// Groups of paths that are left out together, and what they say of errors that paths share.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <random>

#include "shot_problem.h"
#include "solve/incremental/lens_certainty.h"
#include "solve/incremental/path_groups.h"

namespace va::test {
namespace {

ShotProblem shotOf(unsigned seed) {
    ShotProblemOptions o;
    o.views = 30, o.points = 320, o.seenFor = 0.8, o.disturb = 0, o.seed = seed;
    return makeShotProblem(o);
}

TEST(PathGroups, RegionsAreEighthsThatLieTogether) {
    const ShotProblem p = shotOf(1);
    const PathGroups g = regions(p.truth, 3);
    ASSERT_EQ(g.count, 8);
    ASSERT_EQ(g.ofPoint.size(), p.truth.points.size());
    std::map<int, int> sizes;
    for (const int of : g.ofPoint) ++sizes[of];
    for (const auto& [of, size] : sizes) EXPECT_NEAR(size, double(p.truth.points.size()) / 8, 1) << of;
    // A point's nearest neighbour in the picture and in depth is mostly in its own region; by chance an eighth is.
    const View& middle = p.truth.views[15];
    const auto place = [&](size_t i) {
        const Eigen::Vector3d c = middle.toCamera(p.truth.points[i]);
        return Eigen::Vector3d(c.x() / c.z(), c.y() / c.z(), 0.5 * std::log(c.z()));
    };
    int together = 0;
    for (size_t i = 0; i < g.ofPoint.size(); ++i) {
        size_t near = i == 0;
        for (size_t k = 0; k < g.ofPoint.size(); ++k)
            if (k != i && (place(k) - place(i)).norm() < (place(near) - place(i)).norm()) near = k;
        together += g.ofPoint[near] == g.ofPoint[i];
    }
    EXPECT_GT(together, int(g.ofPoint.size()) * 6 / 10);
}

TEST(PathGroups, NeighboursStayTogetherAndGroupsAreScattered) {
    const ShotProblem p = shotOf(1);
    const PathGroups g = scatteredNeighbourhoods(p.truth, 24);
    EXPECT_EQ(g.count, 24);
    const View& middle = p.truth.views[15];
    const Intrinsics lens = p.truth.lenses[0];
    const auto pixel = [&](size_t i) { return project(middle, lens, p.truth.points[i]); };
    // Each group spans the picture.
    std::map<int, std::pair<double, double>> span;
    for (size_t i = 0; i < g.ofPoint.size(); ++i)
        if (const auto q = pixel(i)) {
            auto& [low, high] = span.emplace(g.ofPoint[i], std::pair(q->x(), q->x())).first->second;
            low = std::min(low, q->x()), high = std::max(high, q->x());
        }
    for (const auto& [of, lowHigh] : span) EXPECT_GT(lowHigh.second - lowHigh.first, 400) << of;
}

TEST(PathGroups, OfNothingAndOfLittle) {
    EXPECT_EQ(regions(BundleProblem(), 3).count, 0);
    ShotProblem few = shotOf(1);
    few.truth.points.resize(10);
    std::erase_if(few.truth.observations, [](const auto& o) { return o.point >= 10; });
    EXPECT_EQ(regions(few.truth, 3).count, 1) << "too few to be halved";
    EXPECT_EQ(scatteredNeighbourhoods(few.truth, 24).count, 1);
    EXPECT_FALSE(varianceByPaths(few.truth, few.options, regions(few.truth, 3))) << "less than six groups say nothing";
    // Points behind the middle view, or in it, have a place too.
    few.truth.points[0] = few.truth.views[few.truth.views.size() / 2].centre();
    EXPECT_EQ(regions(few.truth, 1).ofPoint.size(), 10U);
}

/// Root mean square, over made-up shots, of the focal length's error over its deviation by groups of both kinds.
/// `shared` px: how far the errors of whole parts of the picture drift over the shot, apart from each path's own noise.
std::pair<double, double> errorOverStated(double shared) {
    double neighbours = 0, region = 0;
    constexpr unsigned shots = 24;
    for (unsigned seed = 1; seed <= shots; ++seed) {
        ShotProblem p = shotOf(seed);
        const double truth = p.truth.lenses[0].focalPx;
        std::mt19937_64 random(seed);
        std::normal_distribution<double> gauss;
        std::map<int, Eigen::Vector2d> drift;  // by part of the picture: a third of its width, a half of its height
        const View middle = p.truth.views[15];
        std::vector<int> part(p.truth.points.size());
        for (size_t i = 0; i < part.size(); ++i) {
            const Eigen::Vector3d c = middle.toCamera(p.truth.points[i]);
            part[i] = int(std::clamp(3 * (c.x() / c.z() + 0.55) / 1.1, 0.0, 2.9)) + 3 * (c.y() > 0);
        }
        for (int k = 0; k < 6; ++k) drift[k] = shared * Eigen::Vector2d(gauss(random), gauss(random));
        for (auto& o : p.truth.observations) o.pixel += (o.view / 29.0 - 0.5) * drift[part[size_t(o.point)]];
        bundle(p.truth, p.options);
        const auto byNeighbours = varianceByPaths(p.truth, p.options, scatteredNeighbourhoods(p.truth, 24));
        const auto byRegion = varianceByPaths(p.truth, p.options, regions(p.truth, 3));
        EXPECT_TRUE(byNeighbours && byRegion) << seed;
        if (!byNeighbours || !byRegion) continue;
        const double error = p.truth.lenses[0].focalPx - truth;
        neighbours += error * error / (*byNeighbours)[0] / shots;
        region += error * error / std::max((*byNeighbours)[0], (*byRegion)[0]) / shots;
    }
    std::printf("shared %.2f px: error over stated %.2f by neighbours, %.2f by both\n", shared, std::sqrt(neighbours),
                std::sqrt(region));
    return {std::sqrt(neighbours), std::sqrt(region)};
}

// By construction, and the definition of the jackknife: errors that whole parts of the picture share are not seen by
// groups that each take a bit of every part.
TEST(PathGroups, RegionsTellErrorsThatPartsOfThePictureShare) {
    const auto [alone, both] = errorOverStated(0);
    EXPECT_GT(alone, 0.6);
    EXPECT_LT(alone, 1.5);
    EXPECT_GT(both, 0.5) << "not much wider where there is nothing to share";
    const auto [blind, seen] = errorOverStated(0.5);
    EXPECT_GT(blind, 2);
    EXPECT_LT(seen, 0.6 * blind);
    EXPECT_LT(seen, 2.6) << "six parts that drift are few to tell a deviation from";
}

}  // namespace
}  // namespace va::test
