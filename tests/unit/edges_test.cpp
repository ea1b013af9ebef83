// SPDX-License-Identifier: GPL-3.0-or-later
// Edges and plumb lines on pictures that are drawn here: invented, with known lens and known straight things.
#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <random>

#include "base/error.h"
#include "lens/edge_chain.h"
#include "lens/plumb_line.h"

namespace va {
namespace {

Intrinsics cameraWith(const LensModel& lens, int width, int height, double focal) {
    Intrinsics i;
    i.focalPx = focal;
    i.principalPoint = {(width - 1) / 2.0, (height - 1) / 2.0};
    i.lens = lens;
    return i;
}

/// A picture whose luma at each pixel comes from `shade` at the undistorted position in px from the middle, with noise.
Luma drawn(const Intrinsics& camera, int width, int height, const std::function<double(double, double)>& shade,
           double noise = 1.0) {
    Luma out(width, height);
    std::mt19937 random(3);
    std::normal_distribution<double> gauss(0, noise);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const auto s = camera.normalisedFromPixel({double(x), double(y)});
            const double v = s ? shade(s->x() * camera.focalPx, s->y() * camera.focalPx) : 0;
            out.at(x, y) = float(std::clamp(v + gauss(random), 0.0, 255.0));
        }
    return out;
}

/// Soft step from 0 to 1 over about two pixels.
double step(double d) { return 0.5 * (1 + std::erf(d / 1.2)); }

/// A strip along a line: cos(a) x + sin(a) y = far, `wide` px.
double strip(double x, double y, double degrees, double far, double wide) {
    const double a = degrees * M_PI / 180, d = std::cos(a) * x + std::sin(a) * y - far;
    return step(d + wide / 2) * step(wide / 2 - d);
}

/// A yard of straight strips in many directions.
double strips(double x, double y) {
    double v = 60;
    v += 90 * strip(x, y, 90, -190, 20) + 80 * strip(x, y, 88, 195, 18) + 80 * strip(x, y, 2, -330, 16);
    v += 70 * strip(x, y, -3, 340, 22) + 60 * strip(x, y, 60, 130, 14) + 60 * strip(x, y, 125, -60, 14);
    return v;
}

/// The largest difference in px between two lenses over the frame, as a change of focal length leaves it.
double mapDifference(const Intrinsics& a, const Intrinsics& b, int width, int height) {
    double worst = 0;
    for (int y = 0; y < height; y += 12)
        for (int x = 0; x < width; x += 12)
            if (const auto s = a.normalisedFromPixel({double(x), double(y)}))
                worst = std::max(worst, (b.pixelFromNormalised(*s) - Eigen::Vector2d(x, y)).norm());
    return worst;
}

std::vector<std::vector<Eigen::Vector2d>> pointsOf(const std::vector<EdgeChain>& chains) {
    std::vector<std::vector<Eigen::Vector2d>> out;
    for (const EdgeChain& c : chains) out.push_back(c.points);
    return out;
}

constexpr int width = 800, height = 500;

TEST(Edges, ChainsFollowDistortedEdgesToAFewHundredthsOfAPixel) {
    const Intrinsics camera = cameraWith(LensModel::brownConrady(-0.2, 0.05), width, height, 560);
    const auto chains = findEdgeChains(drawn(camera, width, height, strips));
    ASSERT_GE(chains.size(), 8u);
    for (const EdgeChain& c : chains) {
        EXPECT_GE(c.length(), 0.07 * std::hypot(width, height));
        const Straightness s = straightnessOf(c.points, camera);
        EXPECT_LT(s.after, 0.12) << c.points.front().transpose() << " to " << c.points.back().transpose();
    }
}

TEST(Edges, NothingIsFoundInAnEmptyOrTinyPicture) {
    Luma flat(200, 100);
    std::fill(flat.data.begin(), flat.data.end(), 90.0f);
    EXPECT_TRUE(findEdgeChains(flat).empty());
    EXPECT_TRUE(findEdgeChains(Luma(20, 20)).empty());
    EXPECT_TRUE(edgeAlong(flat, {10, 50}, {190, 52}).points.empty());
}

TEST(Edges, AChainEndsAtACorner) {
    // A box: four edges, none of which may run around a corner.
    const Intrinsics camera = cameraWith({}, 400, 300, 500);
    const auto chains = findEdgeChains(drawn(camera, 400, 300, [](double x, double y) {
        return 50 + 120 * step(100 - std::fabs(x)) * step(70 - std::fabs(y));
    }));
    ASSERT_EQ(chains.size(), 4u);
    for (const EdgeChain& c : chains) EXPECT_LT(straightnessOf(c.points, camera).before, 0.15);
}

TEST(Edges, AnEdgeIsJoinedBehindWhatStandsInFront) {
    const Intrinsics camera = cameraWith({}, 400, 300, 500);
    const auto chains = findEdgeChains(drawn(camera, 400, 300, [](double x, double y) {
        const double wall = 50 + 120 * step(y - 0.05 * x);
        const double post = step(12 - std::fabs(x));
        return wall * (1 - post) + 20 * post;
    }));
    ASSERT_FALSE(chains.empty());
    EXPECT_GT(chains.front().length(), 330) << "both halves of the edge in one chain";
}

TEST(Edges, AStrokeSnapsToTheDistortedEdgeBesideIt) {
    const Intrinsics camera = cameraWith(LensModel::brownConrady(-0.25, 0.07), width, height, 560);
    const Luma picture = drawn(camera, width, height, strips);
    // The upper edge of the strip at undistorted y = −200 (its middle is −190, twenty wide), from two positions on it.
    const auto onEdge = [&](double x) { return camera.pixelFromNormalised({x / 560, -200.0 / 560}); };
    const EdgeChain chain =
        edgeAlong(picture, onEdge(-320) + Eigen::Vector2d(0, 2), onEdge(300) - Eigen::Vector2d(0, 1));
    ASSERT_GT(chain.points.size(), 100u);
    for (const auto& p : chain.points) {
        const auto s = camera.normalisedFromPixel(p);
        ASSERT_TRUE(s);
        EXPECT_NEAR(s->y() * 560, -200, 0.6);
    }
    EXPECT_GT(straightnessOf(chain.points, camera).before, 2);
    EXPECT_LT(straightnessOf(chain.points, camera).after, 0.1);
}

TEST(PlumbLines, FindTheLensFromOnePicture) {
    const Intrinsics camera = cameraWith(LensModel::brownConrady(-0.2, 0.05), width, height, 560);
    const auto edges = pointsOf(findEdgeChains(drawn(camera, width, height, strips)));
    Progress progress;
    const auto r = lensFromEdges(edges, width, height, cameraWith({}, width, height, 560), {}, progress);
    ASSERT_EQ(r.trouble, "");
    EXPECT_LT(mapDifference(camera, r.lens, width, height), 0.4) << r.lens.lens.brief();
    EXPECT_LT(r.rmsPx, 0.15);
    ASSERT_EQ(r.uncertainty.size(), 2u);
    // Honest: the truth lies within a few of its own deviations.
    EXPECT_LT(std::fabs(r.uncertainty[0].value + 0.2), 4 * r.uncertainty[0].sigma + 1e-3);
    EXPECT_GT(r.mapSigmaPx, 0);
    EXPECT_LT(r.mapSigmaPx, 1.5);
}

TEST(PlumbLines, TheDivisionModelIsFoundAsWell) {
    LensModel model(LensKind::division);
    model.setValue("lambda", -0.18);
    const Intrinsics camera = cameraWith(model, width, height, 560);
    const auto edges = pointsOf(findEdgeChains(drawn(camera, width, height, strips)));
    PlumbLineOptions options;
    options.kind = LensKind::division;
    Progress progress;
    const auto r = lensFromEdges(edges, width, height, cameraWith({}, width, height, 560), options, progress);
    ASSERT_EQ(r.trouble, "");
    EXPECT_NEAR(r.lens.lens.value("lambda"), -0.18, 0.004);
}

TEST(PlumbLines, ThingsThatAreCurvedInTheWorldAreSetAside) {
    const Intrinsics camera = cameraWith(LensModel::brownConrady(-0.12), width, height, 560);
    const auto shade = [](double x, double y) {
        // Two big hoops among the strips.
        const double hoop = std::fabs(std::hypot(x + 120, y - 300) - 330),
                     rim = std::fabs(std::hypot(x - 500, y) - 420);
        return strips(x, y) + 80 * step(8 - hoop) + 80 * step(7 - rim);
    };
    const auto edges = pointsOf(findEdgeChains(drawn(camera, width, height, shade)));
    Progress progress;
    const auto r = lensFromEdges(edges, width, height, cameraWith({}, width, height, 560), {}, progress);
    ASSERT_EQ(r.trouble, "");
    EXPECT_LT(mapDifference(camera, r.lens, width, height), 0.6) << r.lens.lens.brief();
    int aside = 0;
    for (size_t i = 0; i < edges.size(); ++i)
        if (!r.edges[i].used) {
            ++aside;
            EXPECT_GT(straightnessOf(edges[i], camera).after, 0.2) << "a straight one was left out";
        }
    EXPECT_GE(aside, 2);
}

TEST(PlumbLines, TheArtistsChoiceIsTrusted) {
    // Undistorted by the artist's word, though one disagrees: none is set aside.
    const Intrinsics camera = cameraWith(LensModel::brownConrady(-0.15), width, height, 560);
    std::vector<std::vector<Eigen::Vector2d>> edges;
    for (const double y : {-0.38, -0.3, 0.33, 0.4}) {
        edges.emplace_back();
        for (int i = -60; i <= 60; ++i) edges.back().push_back(camera.pixelFromNormalised({i / 100.0, y}));
    }
    edges.emplace_back();
    for (int i = -60; i <= 60; ++i)
        edges.back().push_back(camera.pixelFromNormalised({i / 100.0, 0.1 + 0.05 * i * i / 3600.0}));
    PlumbLineOptions options;
    options.trustAll = true;
    Progress progress;
    const auto r = lensFromEdges(edges, width, height, cameraWith({}, width, height, 560), options, progress);
    ASSERT_EQ(r.trouble, "");
    for (const auto& e : r.edges) EXPECT_TRUE(e.used);
    EXPECT_LT(r.lens.lens.value("k1"), -0.1);
}

TEST(PlumbLines, ThePrincipalPointIsFoundWhereEdgesTellIt) {
    Intrinsics camera = cameraWith(LensModel::brownConrady(-0.25, 0.07), width, height, 560);
    camera.principalPoint += Eigen::Vector2d(6, -4);
    std::vector<std::vector<Eigen::Vector2d>> edges;
    std::mt19937 random(5);
    std::normal_distribution<double> gauss(0, 0.05);
    for (int k = 0; k < 14; ++k) {
        const double a = k * M_PI / 14, far = (k % 2 ? 1 : -1) * (0.2 + 0.02 * k);
        std::vector<Eigen::Vector2d> points;
        for (int i = -80; i <= 80; ++i) {
            const Eigen::Vector2d s = far * Eigen::Vector2d(std::cos(a), std::sin(a)) +
                                      i / 100.0 * Eigen::Vector2d(-std::sin(a), std::cos(a));
            const Eigen::Vector2d p = camera.pixelFromNormalised(s) + Eigen::Vector2d(gauss(random), gauss(random));
            if (p.x() > 0 && p.y() > 0 && p.x() < width && p.y() < height) points.push_back(p);
        }
        edges.push_back(points);
    }
    PlumbLineOptions options;
    options.principalPoint = true;
    Progress progress;
    const auto r = lensFromEdges(edges, width, height, cameraWith({}, width, height, 560), options, progress);
    ASSERT_EQ(r.trouble, "");
    EXPECT_LT((r.lens.principalPoint - camera.principalPoint).norm(), 0.5) << r.lens.principalPoint.transpose();
    EXPECT_NEAR(r.lens.lens.value("k1"), -0.25, 0.005);
}

TEST(PlumbLines, TooFewEdgesAreSaidToBeTooFew) {
    Progress progress;
    std::vector<std::vector<Eigen::Vector2d>> one(1);
    for (int i = 0; i < 50; ++i) one[0].emplace_back(i * 5, 40);
    const auto r = lensFromEdges(one, width, height, cameraWith({}, width, height, 560), {}, progress);
    EXPECT_NE(r.trouble.find("At least two"), std::string::npos);
}

TEST(PlumbLines, EdgesThroughTheMiddleTellNothingAndSaySo) {
    // A line through the middle stays straight under every radial distortion.
    std::vector<std::vector<Eigen::Vector2d>> edges;
    std::mt19937 random(9);
    std::normal_distribution<double> gauss(0, 0.1);
    for (const double a : {0.1, 1.0, 2.0}) {
        edges.emplace_back();
        for (int i = -60; i <= 60; ++i)
            edges.back().emplace_back((width - 1) / 2.0 + 4 * i * std::cos(a) + gauss(random),
                                      (height - 1) / 2.0 + 4 * i * std::sin(a) + gauss(random));
    }
    Progress progress;
    const auto r = lensFromEdges(edges, width, height, cameraWith({}, width, height, 560), {}, progress);
    EXPECT_TRUE(!r.trouble.empty() || r.mapSigmaPx > 20) << r.mapSigmaPx;
    EXPECT_TRUE(!r.trouble.empty() || !r.warnings.empty());
}

TEST(PlumbLines, CancelStopsTheWork) {
    std::vector<std::vector<Eigen::Vector2d>> edges(2);
    for (int i = 0; i < 50; ++i) edges[0].emplace_back(i * 5, 40), edges[1].emplace_back(i * 5, 400);
    Progress progress;
    progress.cancel();
    EXPECT_THROW(lensFromEdges(edges, width, height, cameraWith({}, width, height, 560), {}, progress), Cancelled);
}

}  // namespace
}  // namespace va
