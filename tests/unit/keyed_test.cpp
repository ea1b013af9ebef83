// SPDX-License-Identifier: GPL-3.0-or-later
// Keys over frames, lists by id, vectors that share.
#include "base/keyed.h"

#include <gtest/gtest.h>

#include <numbers>

#include "base/animated.h"
#include "base/by_id.h"
#include "base/shared_vector.h"
#include "track/mask_shape.h"

namespace va {
namespace {

TEST(Keyed, HoldsLinearAndSmooth) {
    Keyed<double> k;
    EXPECT_TRUE(k.empty());
    k.set(20, 4);
    k.set(10, 2);
    k.set(40, 0);
    EXPECT_EQ(k.at(-5), 2) << "before the first key it stands";
    EXPECT_EQ(k.at(90), 0);
    EXPECT_EQ(k.at(20), 4);
    EXPECT_DOUBLE_EQ(k.at(15), 3);
    EXPECT_DOUBLE_EQ(k.at(30), 2);
    EXPECT_TRUE(k.setBetween(20, Between::hold));
    EXPECT_EQ(k.at(39.9), 4);
    EXPECT_EQ(k.at(40), 0);
    EXPECT_FALSE(k.setBetween(21, Between::hold));
    k.set(20, 5);
    EXPECT_EQ(k.keys()[1].between, Between::hold) << "a new value keeps how the key goes on";
    EXPECT_TRUE(k.remove(20));
    EXPECT_FALSE(k.remove(20));
    EXPECT_EQ(k.size(), 2U);
    EXPECT_EQ(k.key(20), nullptr);
    ASSERT_NE(k.key(10), nullptr);
}

// Catmull & Rom 1974: the curve goes through its keys with one tangent on both sides, and what lies on a line stays
// there.
TEST(Keyed, SmoothHasNoCorners) {
    Keyed<double> k;
    for (const auto& [frame, value] : {std::pair(0, 0.0), std::pair(10, 3.0), std::pair(14, 4.0), std::pair(30, 1.0)}) {
        k.set(frame, value);
        k.setBetween(frame, Between::smooth);
    }
    const double h = 1e-5;
    for (const int frame : {10, 14}) {
        const double before = (k.at(frame) - k.at(frame - h)) / h, after = (k.at(frame + h) - k.at(frame)) / h;
        EXPECT_NEAR(before, after, 1e-3) << frame;
    }
    // The slope at a key is that between its neighbours, and none where the curve turns.
    EXPECT_NEAR((k.at(10 + h) - k.at(10 - h)) / (2 * h), (4.0 - 0.0) / 14, 1e-3);
    EXPECT_NEAR((k.at(14 + h) - k.at(14 - h)) / (2 * h), 0, 1e-3);
    Keyed<double> line;
    for (const int frame : {0, 3, 11, 12, 30})
        line.set(frame, 0.5 * frame - 2), line.setBetween(frame, Between::smooth);
    for (double f = 0; f <= 30; f += 0.7) EXPECT_NEAR(line.at(f), 0.5 * f - 2, 1e-12);
}

// The data of Fritsch & Carlson's example "RPN 14" (SIAM J. Numer. Anal. 17, 1980, table 4.1; values from memory of the
// widely reprinted table): rises all the way, with steep steps, and a plain cubic overshoots there.
TEST(Keyed, SmoothNeverGoesBeyondItsKeys) {
    const double at[] = {799, 809, 819, 850, 900, 1000, 1200, 1500, 2000},
                 value[] = {0, 2.76429e-5, 4.37498e-2, 0.169183, 0.469428, 0.943740, 0.998636, 0.999919, 0.999994};
    Keyed<double> k;
    Keyed<Eigen::Vector2d> v;
    for (int i = 0; i < 9; ++i) {
        k.set(int(at[i]), value[i]), k.setBetween(int(at[i]), Between::smooth);
        v.set(int(at[i]), {-value[i], i % 2}), v.setBetween(int(at[i]), Between::smooth);
    }
    double last = 0;
    for (double f = 799; f <= 2000; f += 0.5) {
        EXPECT_GE(k.at(f), last - 1e-15) << f;
        last = k.at(f);
        EXPECT_EQ(v.at(f).x(), -k.at(f)) << "component by component";
        EXPECT_TRUE(v.at(f).y() >= 0 && v.at(f).y() <= 1) << f;
    }
}

// Two keys and their tangents make Hermite's basis: h00 = 2t³ − 3t² + 1, h10 = t³ − 2t² + t, h01 = −2t³ + 3t²,
// h11 = t³ − t² (Farin, Curves and Surfaces for CAGD, 4th edition, chapter 6).
TEST(Keyed, SmoothIsHermitesCubic) {
    const double v[4] = {0, 1, 2.5, 3}, before = 8, span = 5, after = 4;
    const double m1 = (v[2] - v[0]) / (before + span), m2 = (v[3] - v[1]) / (span + after);
    for (double t = 0; t <= 1; t += 0.05) {
        const double t2 = t * t, t3 = t2 * t;
        const double expected = (2 * t3 - 3 * t2 + 1) * v[1] + (t3 - 2 * t2 + t) * span * m1 +
                                (-2 * t3 + 3 * t2) * v[2] + (t3 - t2) * span * m2;
        EXPECT_NEAR(smoothNumber(v, before, span, after, t), expected, 1e-12) << t;
    }
}

TEST(Animated, BeforeAndAfterItsKeys) {
    Animated<double> a;
    a.keys.set(10, 2);
    a.keys.set(20, 6);
    a.keys.set(30, 4);
    EXPECT_EQ(a.at(0), 2);
    EXPECT_EQ(a.at(99), 4);
    a.before = a.after = Outside::goOn;
    EXPECT_DOUBLE_EQ(a.at(5), 2 - 5 * 0.4);
    EXPECT_DOUBLE_EQ(a.at(35), 4 - 5 * 0.2);
    a.keys.setBetween(20, Between::hold);
    EXPECT_DOUBLE_EQ(a.at(35), 4) << "what is held has no slope";
    a.before = a.after = Outside::repeat;
    EXPECT_DOUBLE_EQ(a.at(35), a.at(15));
    EXPECT_DOUBLE_EQ(a.at(52), a.at(12));
    EXPECT_DOUBLE_EQ(a.at(8), a.at(28));
    EXPECT_DOUBLE_EQ(a.at(-12), a.at(28));
    Animated<double> one;
    one.keys.set(5, 3);
    one.before = one.after = Outside::repeat;
    EXPECT_EQ(one.at(0), 3);
    one.before = one.after = Outside::goOn;
    EXPECT_EQ(one.at(9), 3);
}

TEST(Keyed, MovedAndStretchedInTime) {
    Keyed<double> k;
    k.set(10, 1), k.set(20, 2), k.set(21, 3);
    k.setBetween(10, Between::smooth);
    Keyed<double> moved = k;
    moved.retime(0, 1, -4);
    EXPECT_EQ(moved.keys()[0].frame, 6);
    EXPECT_EQ(moved.keys()[0].between, Between::smooth);
    Keyed<double> wide = k;
    wide.retime(10, 2, 0);
    EXPECT_EQ(wide.keys()[1].frame, 30);
    EXPECT_EQ(wide.keys()[2].frame, 32);
    k.retime(10, 0.4, 0);
    ASSERT_EQ(k.size(), 2U) << "two keys fall together";
    EXPECT_EQ(k.back().value, 3);
    Keyed<double> turned = wide;
    turned.retime(20, -1, 0);
    EXPECT_EQ(turned.front().value, 3) << "backward";
}

TEST(Keyed, FindsTheKeysAroundAFrame) {
    Keyed<double> k;
    EXPECT_EQ(k.atOrBefore(3), nullptr);
    EXPECT_EQ(k.atOrAfter(3), nullptr);
    for (const int frame : {-4, 2, 9}) k.set(frame, frame);
    EXPECT_EQ(k.atOrBefore(-5), nullptr);
    EXPECT_EQ(k.atOrBefore(8)->frame, 2);
    EXPECT_EQ(k.atOrBefore(9)->frame, 9);
    EXPECT_EQ(k.atOrAfter(2)->frame, 2);
    EXPECT_EQ(k.atOrAfter(3)->frame, 9);
    EXPECT_EQ(k.atOrAfter(10), nullptr);
}

TEST(Keyed, TakesPointsCornersAndRotations) {
    Keyed<std::vector<MaskPoint>> mask;
    mask.set(0, {{{0, 0}, {1, 0}, {0, 1}}});
    mask.set(10, {{{10, 20}, {3, 0}, {0, 5}}});
    EXPECT_TRUE(mask.at(5)[0].at.isApprox(Eigen::Vector2d(5, 10)));
    EXPECT_TRUE(mask.at(5)[0].out.isApprox(Eigen::Vector2d(0, 3)));
    Keyed<Eigen::Quaterniond> turn;
    const auto about = [](double angle) {
        return Eigen::Quaterniond(Eigen::AngleAxisd(angle, Eigen::Vector3d::UnitY()));
    };
    turn.set(0, about(0));
    Eigen::Quaterniond other = about(std::numbers::pi / 3);
    other.coeffs() *= -1;  // the same rotation
    turn.set(8, other);
    EXPECT_NEAR(turn.at(4).angularDistance(about(std::numbers::pi / 6)), 0, 1e-12);
    EXPECT_NEAR(turn.at(2).norm(), 1, 1e-12);
    EXPECT_LT(turn.at(2).angularDistance(about(std::numbers::pi / 12)), 0.3 * std::numbers::pi / 180);
}

TEST(SharedVector, CopiesShareUntilOneIsChanged) {
    SharedVector<int> a{1, 2, 3};
    SharedVector<int> b = a;
    EXPECT_TRUE(a.sharesWith(b));
    const SharedVector<int>& seen = b;
    EXPECT_EQ(seen[1], 2);
    EXPECT_EQ(seen.end() - seen.begin(), 3);
    EXPECT_TRUE(a.sharesWith(b)) << "looking is no change";
    EXPECT_EQ(b.eraseIf([](int v) { return v > 5; }), 0U);
    EXPECT_TRUE(a.sharesWith(b)) << "removing nothing is none either";
    b[1] = 7;
    EXPECT_FALSE(a.sharesWith(b));
    EXPECT_EQ(a, (SharedVector<int>{1, 2, 3}));
    EXPECT_EQ(b, (SharedVector<int>{1, 7, 3}));
    b.push_back(9);
    EXPECT_EQ(b.eraseIf([](int v) { return v > 5; }), 2U);
    EXPECT_EQ(b.size(), 2U);
    EXPECT_TRUE(SharedVector<int>().empty());
}

TEST(ById, FindsAndNumbers) {
    struct Item {
        int id;
    };
    std::vector<Item> items{{3}, {7}, {5}};
    EXPECT_EQ(findById(items, 7), &items[1]);
    EXPECT_EQ(findById(items, 4), nullptr);
    EXPECT_EQ(freeId(items), 8);
    EXPECT_EQ(freeId(std::vector<Item>()), 1);
}

}  // namespace
}  // namespace va
