// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <Eigen/LU>
#include <cmath>

#include "track/flat_patch.h"
#include "warp.h"

namespace va {
namespace {

const Corners square{Eigen::Vector2d(150, 100), {330, 110}, {320, 260}, {140, 250}};

Eigen::Matrix3d perspective(double t) {
    Eigen::Matrix3d m;
    m << 1 + 0.1 * t, 0.06 * t, 14 * t, -0.05 * t, 1 - 0.08 * t, 9 * t, 2.5e-4 * t, -1.5e-4 * t, 1;
    return m;
}

/// The photo's plane seen through `map` (frame pixels of the first frame to this frame's).
Luma view(const Eigen::Matrix3d& map, double sigma, unsigned seed) {
    static const Luma photo = test::loadPhoto("home.jpg");
    const Eigen::Matrix3d back = map.inverse();
    return test::warped(
        photo, 480, 360,
        [&](const Eigen::Vector2d& p) -> Eigen::Vector2d { return throughMap(back, p) + Eigen::Vector2d(15, 12); },
        sigma, seed);
}

double worstCorner(const Corners& a, const Corners& b) {
    double worst = 0;
    for (size_t i = 0; i < 4; ++i) worst = std::max(worst, (a[i] - b[i]).norm());
    return worst;
}

Corners moved(const Eigen::Matrix3d& map) {
    Corners out = square;
    for (auto& c : out) c = throughMap(map, c);
    return out;
}

FlatPatch drawn() {
    FlatPatch p;
    p.id = 1;
    p.name = "sign";
    p.referenceFrame = 10;
    p.outline.assign(square.begin(), square.end());
    p.corners = square;
    return p;
}

std::vector<int> frames() {
    std::vector<int> out;
    for (int f = 1; f <= 30; ++f) out.push_back(f);
    return out;
}

Eigen::Matrix3d mapOf(int frame) { return perspective((frame - 10) / 15.0); }

TEST(MapOfCorners, TakesEachCornerToItsPlace) {
    const Eigen::Matrix3d m = perspective(1);
    const auto found = mapOfCorners(square, moved(m));
    ASSERT_TRUE(found);
    EXPECT_LT((*found - m / m(2, 2)).norm(), 1e-9);
    const Corners flat{Eigen::Vector2d(0, 0), {1, 0}, {2, 0}, {3, 0}};
    EXPECT_FALSE(mapOfCorners(flat, square));
}

TEST(FlatPatch, TracksARenderedWarpBothWaysToATwentiethOfAPixel) {
    Progress progress;
    const FlatPatch p =
        trackPatch({drawn(), frames(), [](int f) { return view(mapOf(f), 1, unsigned(f)); }, {}}, progress);
    EXPECT_EQ(p.trouble, "");
    ASSERT_EQ(p.frames.size(), 30U);
    for (int f = 1; f <= 30; ++f) {
        EXPECT_LT(worstCorner(*p.cornersAt(f), moved(mapOf(f))), 0.05) << f;
        EXPECT_GT(p.at(f)->quality, 0.97);
    }
}

// A pole passes in front of a fifth of it.
TEST(FlatPatch, WhatPassesInFrontIsLeftOut) {
    Progress progress;
    const auto read = [](int f) {
        Luma l = view(mapOf(f), 2, unsigned(f));
        const int x0 = 100 + (f - 10) * 12;
        if (f > 12)
            for (int y = 0; y < l.height; ++y)
                for (int x = std::max(0, x0); x < std::min(l.width, x0 + 36); ++x)
                    l.at(x, y) = 40.0f + 30.0f * float(std::sin(0.9 * y + x));
        return l;
    };
    const FlatPatch p = trackPatch({drawn(), frames(), read, {}}, progress);
    ASSERT_EQ(p.frames.size(), 30U) << p.trouble;
    double least = 1;
    for (int f = 1; f <= 30; ++f) {
        EXPECT_LT(worstCorner(*p.cornersAt(f), moved(mapOf(f))), 0.15) << f;
        least = std::min(least, p.at(f)->visible);
    }
    EXPECT_LT(least, 0.8) << "it was seen that something hides a part";
}

TEST(FlatPatch, StopsWithASentenceWhenTheViewIsGone) {
    Progress progress;
    const auto read = [](int f) { return f < 20 ? view(mapOf(f), 2, unsigned(f)) : Luma(480, 360); };
    const FlatPatch p = trackPatch({drawn(), frames(), read, {}}, progress);
    EXPECT_EQ(p.frames.back().frame, 19);
    EXPECT_NE(p.trouble.find("frame 20"), std::string::npos) << p.trouble;
    EXPECT_FALSE(p.cornersAt(25));
    const FlatPatch flat = trackPatch({drawn(), frames(), [](int) { return Luma(480, 360); }, {}}, progress);
    EXPECT_NE(flat.trouble.find("too little texture"), std::string::npos);
}

TEST(FlatPatch, CorrectionsGoEvenlyBetweenTheirFrames) {
    FlatPatch p = drawn();
    for (int f = 1; f <= 30; ++f) p.frames.push_back({f, Eigen::Matrix3d::Identity(), 1, 1});
    const Eigen::Vector2d by(8, -4), none(0, 0);
    p.corrections.set(20, {by, none, none, none});
    EXPECT_TRUE((*p.cornersAt(10))[0].isApprox(square[0]));
    EXPECT_TRUE((*p.cornersAt(15))[0].isApprox(square[0] + 0.5 * by));
    EXPECT_TRUE((*p.cornersAt(20))[0].isApprox(square[0] + by));
    EXPECT_TRUE((*p.cornersAt(30))[0].isApprox(square[0] + by));
    EXPECT_TRUE((*p.cornersAt(1))[0].isApprox(square[0])) << "nothing is corrected before the reference";
    // The map agrees with the corners.
    EXPECT_LT((throughMap(*p.mapAt(15), square[0]) - (*p.cornersAt(15))[0]).norm(), 1e-9);
}

TEST(FlatPatch, OnlyTheSideAskedForIsTrackedAnew) {
    Progress progress;
    FlatPatch before = drawn();
    before.frames.push_back({5, perspective(0.7), 0.5, 0.5});
    PatchTrackRequest request{before, frames(), [](int f) { return view(mapOf(f), 2, unsigned(f)); }, {}};
    request.backward = false;
    const FlatPatch p = trackPatch(std::move(request), progress);
    ASSERT_TRUE(p.at(5));
    EXPECT_DOUBLE_EQ(p.at(5)->quality, 0.5);
    EXPECT_FALSE(p.at(7));
    EXPECT_TRUE(p.at(30));
}

TEST(FlatPatch, UndistortedViewUndoesTheMap) {
    const Luma first = view(Eigen::Matrix3d::Identity(), 0, 1), second = view(perspective(0.8), 0, 1);
    const Luma a = rectified(first, square, 90, 75), b = rectified(second, moved(perspective(0.8)), 90, 75);
    double sum = 0;
    for (size_t i = 0; i < a.data.size(); ++i) sum += std::fabs(double(a.data[i] - b.data[i]));
    EXPECT_LT(sum / double(a.data.size()), 2.0);
}

}  // namespace
}  // namespace va
