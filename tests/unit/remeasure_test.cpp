// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/remeasure.h"

#include <gtest/gtest.h>

#include <cmath>
#include <map>

#include "track/calibrate.h"

namespace va {
namespace {

constexpr int width = 420, height = 300;

/// A wall with texture of many sizes, as a function of position.
double wall(double x, double y) {
    return 120 + 28 * std::sin(0.31 * x + 0.2 * std::sin(0.11 * y)) * std::cos(0.27 * y + 0.5) +
           22 * std::sin(0.13 * x - 0.19 * y + 1) + 16 * std::sin(0.61 * x + 0.37 * y) +
           12 * std::cos(0.47 * x - 0.83 * y);
}

/// Where the wall's origin is in the picture at a time in frames: sways hard from frame 6 on.
Eigen::Vector2d swayAt(double t) {
    const double on = t > 5 ? std::sin(M_PI * std::min(1.0, (t - 5) / 10)) : 0;
    return {3 * t + 22 * on * std::sin(1.1 * t), 14 * on * std::cos(0.9 * t)};
}

Luma pictureOf(int frame, double openShare) {
    Luma out(width, height);
    const int moments = openShare > 0 ? 15 : 1;
    for (int k = 0; k < moments; ++k) {
        const double t = frame + (moments > 1 ? openShare * ((k + 0.5) / moments - 0.5) : 0);
        const Eigen::Vector2d at = swayAt(t);
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) out.at(x, y) += float(wall(x - at.x(), y - at.y()) / moments);
    }
    return out;
}

class Smeared : public ::testing::TestWithParam<double> {
  protected:
    /// Paths on a grid whose points are wrong by what a straight smear's middle would give, and a little more.
    static RemeasureRequest request(double openShare) {
        RemeasureRequest r;
        for (int f = 0; f < 16; ++f) r.frames.push_back(f);
        int id = 1;
        for (int j = 0; j < 4; ++j)
            for (int i = 0; i < 6; ++i) {
                Path p;
                p.id = id++;
                p.radius = 9;
                p.referenceFrame = 2;
                for (int f = 0; f < 16; ++f) {
                    const Eigen::Vector2d at = place(p, f);
                    PathPoint q;
                    q.frame = f;
                    q.x = at.x() + (f > 5 ? 0.3 : 0.0);
                    q.y = at.y() - (f > 5 ? 0.2 : 0.0);
                    q.sxx = q.syy = 1e-4f;
                    p.points.push_back(q);
                }
                r.paths.push_back(std::move(p));
            }
        r.read = [openShare](int f) {
            static std::map<std::pair<double, int>, Luma> made;
            const auto [at, fresh] = made.try_emplace({openShare, f});
            if (fresh) at->second = pictureOf(f, openShare);
            return at->second;
        };
        r.passage = [](const Path& p, int, int frame) {
            Passage out;
            // As a solve would know it: a little off.
            out.middle.at = place(p, frame) + Eigen::Vector2d(0.3, -0.2);
            out.velocity = (swayAt(frame + 0.5) - swayAt(frame - 0.5));
            out.acceleration = 4 * (swayAt(frame + 0.5) + swayAt(frame - 0.5) - 2 * swayAt(frame));
            return std::optional(out);
        };
        return r;
    }
    static Eigen::Vector2d place(const Path& p, double t) {
        const int i = (p.id - 1) % 6, j = (p.id - 1) / 6;
        return Eigen::Vector2d(90 + 40 * i, 80 + 45 * j) + swayAt(t) - swayAt(2);
    }
};

TEST_P(Smeared, FindsTheShutterAndThePlacesInItsMiddle) {
    const double open = GetParam();
    Progress progress;
    const RemeasureResult r = remeasureSmeared(request(open), progress);
    EXPECT_NEAR(r.openShare, open, 0.06);
    ASSERT_FALSE(r.frames.empty());
    double sum = 0, before = 0;
    int n = 0;
    const auto had = request(open).paths;
    for (size_t k = 0; k < r.paths.size(); ++k)
        for (const int f : r.frames) {
            const Eigen::Vector2d truth = place(r.paths[k], f);
            const PathPoint *p = r.paths[k].at(f), *q = had[k].at(f);
            ASSERT_TRUE(p && q);
            sum += (Eigen::Vector2d(p->x, p->y) - truth).squaredNorm();
            before += (Eigen::Vector2d(q->x, q->y) - truth).squaredNorm();
            ++n;
        }
    EXPECT_LT(std::sqrt(sum / n), 0.2 * open);  // a parabola is not quite the way of a hard sway
    EXPECT_LT(sum, 0.1 * before);
}
INSTANTIATE_TEST_SUITE_P(Shutters, Smeared, ::testing::Values(0.3, 0.5, 0.8));

TEST(Remeasure, SharpPicturesStayAsTheyAre) {
    struct Access : Smeared {
        using Smeared::request;
        void TestBody() override {}
    };
    Progress progress;
    const auto had = Access::request(0).paths;
    const RemeasureResult r = remeasureSmeared(Access::request(0), progress);
    EXPECT_EQ(r.openShare, 0);
    EXPECT_EQ(r.points, 0);
    for (size_t k = 0; k < had.size(); ++k)
        for (size_t i = 0; i < had[k].points.size(); ++i) EXPECT_EQ(r.paths[k].points[i].x, had[k].points[i].x);
}

TEST(Remeasure, FramesThatAreNotAskedForStayAsTheyAre) {
    struct Access : Smeared {
        using Smeared::request;
        void TestBody() override {}
    };
    RemeasureRequest asked = Access::request(0.5);
    const auto had = asked.paths;
    std::erase_if(asked.frames, [](int f) { return f < 7; });
    Progress progress;
    const RemeasureResult r = remeasureSmeared(asked, progress);
    ASSERT_GT(r.openShare, 0);
    int moved = 0;
    for (size_t k = 0; k < had.size(); ++k)
        for (const PathPoint& p : had[k].points) {
            const PathPoint* now = r.paths[k].at(p.frame);
            ASSERT_TRUE(now);
            // Looked at before: a second time would move it twice.
            if (p.frame < 7) {
                EXPECT_EQ(now->x, p.x) << p.frame;
            }
            moved += p.frame >= 7 && now->x != p.x;
        }
    EXPECT_GT(moved, 100);
}

TEST(Remeasure, WithoutPathsOrMotionNothingHappens) {
    RemeasureRequest empty;
    empty.frames = {1, 2, 3};
    empty.read = [](int f) { return pictureOf(f, 0.5); };
    empty.passage = [](const Path&, int, int) { return std::optional<Passage>(); };
    Progress progress;
    EXPECT_EQ(remeasureSmeared(empty, progress).openShare, 0);
}

TEST(Remeasure, WhatIsMeasuredAfterwardsIsNoBetterThanThePathHasShown) {
    PathPoint calibrated, p;
    calibrated.sxx = 0.03f, calibrated.syy = 0.01f, calibrated.drift = 0.2f;
    p.sxx = 0.001f, p.sxy = 0.0005f, p.syy = 0.003f, p.drift = 0.01f;
    const PathPoint had = p;
    takeNoBetterThan(p, calibrated);
    EXPECT_NEAR(p.sxx + p.syy, 0.04, 1e-6);
    EXPECT_NEAR(p.sxy / p.sxx, had.sxy / had.sxx, 1e-6) << "the same shape";
    EXPECT_FLOAT_EQ(p.drift, 0.2f);
    // Worse than that, it stays.
    PathPoint worse = calibrated;
    worse.sxx = 1;
    takeNoBetterThan(worse, calibrated);
    EXPECT_EQ(worse.sxx, 1);
    EXPECT_EQ(worse.drift, 0.2f);
}

}  // namespace
}  // namespace va
