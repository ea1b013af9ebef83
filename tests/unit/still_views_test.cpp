// SPDX-License-Identifier: GPL-3.0-or-later
// Reference stills on made-up places: a camera that pans, or a single photo, and photos from elsewhere.
#include "solve/still_views.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "ground/sure_point.h"

namespace va {
namespace {

using Eigen::Vector2d;
using Eigen::Vector3d;

CameraPose lookingAt(const Vector3d& from, const Vector3d& to) {
    const Vector3d back = (from - to).normalized(), right = Vector3d::UnitY().cross(back).normalized();
    Eigen::Matrix3d axes;
    axes << right, back.cross(right), back;
    return {from, Eigen::Quaterniond(axes)};
}

/// A place of points, a camera at the origin and stills around it.
struct Place {
    std::vector<Vector3d> points;
    std::vector<Path> paths;
    SolveResult solve;
    std::vector<StillRequest> stills;
    std::vector<CameraPose> truePoses;
    std::vector<double> trueFocals;
    std::mt19937_64 random;

    explicit Place(uint64_t seed, int frames = 21, int count = 160) : random(seed) {
        std::uniform_real_distribution<double> across(-6, 6), up(-2, 3), away(-16, -5);
        for (int i = 0; i < count; ++i) points.emplace_back(across(random), up(random), away(random));
        std::normal_distribution<double> noise(0, 0.1);
        solve.motion = frames > 1 ? Motion::nodalPan : Motion::still;
        solve.trouble = SolveTrouble::noParallax;
        solve.lens.focalPx = 900;
        solve.lens.principalPoint = {639.5, 359.5};
        solve.height = 720;
        solve.rmsPx = 0.15;
        for (int f = 0; f < frames; ++f) {
            SolvedFrame& out = solve.frames.emplace_back();
            out.frame = 1001 + f;
            out.solved = true;
            out.focalPx = 900;
            const double turn = frames > 1 ? (f / double(frames - 1) - 0.5) * 0.6 : 0;
            out.pose.worldFromCamera = Eigen::AngleAxisd(turn, Vector3d::UnitY());
        }
        for (int i = 0; i < count; ++i) {
            Path p;
            p.id = i + 1;
            for (const SolvedFrame& f : solve.frames) {
                const auto q = project(f.pose, solve.lens, points[size_t(i)]);
                if (!q || q->x() < 0 || q->y() < 0 || q->x() > 1279 || q->y() > 719) continue;
                PathPoint at;
                at.frame = f.frame;
                at.x = q->x() + noise(random), at.y = q->y() + noise(random);
                at.sxx = at.syy = 0.01F;
                p.put(at);
            }
            if (!p.points.empty()) paths.push_back(p);
        }
    }

    void addStill(const CameraPose& pose, double focal, std::optional<double> said, double sigma = 0.4,
                  double wrong = 0) {
        StillRequest r;
        r.id = int(stills.size()) + 1;
        r.width = 1600, r.height = 1200;
        r.focalPx = said;
        Intrinsics lens;
        lens.focalPx = focal;
        lens.principalPoint = {799.5, 599.5};
        std::normal_distribution<double> noise(0, sigma);
        std::uniform_real_distribution<double> any(0, 1);
        for (const Path& p : paths) {
            const auto q = project(pose, lens, points[size_t(p.id - 1)]);
            if (!q || q->x() < 0 || q->y() < 0 || q->x() > 1599 || q->y() > 1199) continue;
            Vector2d at = *q + Vector2d(noise(random), noise(random));
            if (any(random) < wrong) at = {1600 * any(random), 1200 * any(random)};
            r.marks.push_back({p.id, at, sigma, false});
        }
        stills.push_back(r);
        truePoses.push_back(pose);
        trueFocals.push_back(focal);
    }

    [[nodiscard]] SolveResult joined(const ShotFocal& focal = {}) const {
        Progress progress;
        return withStillViews(solve, paths, stills, focal, progress);
    }

    /// Units of the result for one of the place.
    [[nodiscard]] double scaleOf(const SolveResult& r) const {
        std::vector<double> ratios;
        for (const SolvedPoint& p : r.points) ratios.push_back(p.position.norm() / points[size_t(p.pathId - 1)].norm());
        std::nth_element(ratios.begin(), ratios.begin() + std::ptrdiff_t(ratios.size() / 2), ratios.end());
        return ratios[ratios.size() / 2];
    }
};

TEST(StillViews, APanGetsDepthFromTwoPhotosOfUnknownFocalLength) {
    double squares = 0;
    int count = 0;
    for (uint64_t seed = 1; seed <= 8; ++seed) {
        Place place(seed);
        place.addStill(lookingAt({-4, 0.5, -1}, {0, 0, -10}), 1300, std::nullopt, 0.4, 0.15);
        place.addStill(lookingAt({3.5, 1.5, -2}, {0, 0, -10}), 1450, std::nullopt, 0.4, 0.15);
        const SolveResult r = place.joined();
        ASSERT_TRUE(r.hasDepth()) << seed;
        EXPECT_EQ(r.trouble, SolveTrouble::none);
        const double scale = place.scaleOf(r);
        for (size_t s = 0; s < 2; ++s) {
            const SolvedStill& still = r.stills[s];
            ASSERT_TRUE(still.solved) << seed;
            const double off = std::log(still.lens.focalPx / place.trueFocals[s]);
            EXPECT_LT(std::fabs(off), 0.01) << seed;
            squares += std::pow(off / still.focalSigma, 2);
            ++count;
            EXPECT_LT((still.pose.position / scale - place.truePoses[s].position).norm(), 0.05) << seed;
            EXPECT_LT(still.rmsPx, 0.8);
            // Of random marks nearly all are named.
            EXPECT_GT(still.rejected.size(), place.stills[s].marks.size() / 12);
        }
        // Points: in the place, and as sure as they say.
        double pointSquares = 0;
        const auto sure = surePoints(r);
        ASSERT_GT(sure.size(), 80U);
        for (const SurePoint& p : sure) {
            const Vector3d off = p.position / scale - place.points[size_t(p.pathId - 1)];
            const Eigen::Matrix3d c = p.covariance / (scale * scale);
            pointSquares += std::min(30.0, off.dot(c.inverse() * off));
        }
        EXPECT_LT(std::sqrt(pointSquares / double(3 * sure.size())), 2.2) << seed;
    }
    // Of the focal lengths' errors over what is stated.
    EXPECT_GT(std::sqrt(squares / count), 0.6);
    EXPECT_LT(std::sqrt(squares / count), 1.4);
}

TEST(StillViews, TwoPhotosOfOneUnknownCamera) {
    Place place(7, 1);
    place.addStill(lookingAt({-5, 2, -3}, {1, 0, -11}), 1150, std::nullopt);
    // Lenses of the same angle: 900 px over 1280, 1125 over 1600.
    const SolveResult r = place.joined({false, 1});
    ASSERT_TRUE(r.stills[0].solved);
    ASSERT_EQ(r.lensNumbers.size(), 1U);
    EXPECT_LT(std::fabs(r.lens.focalPx - 900), 3 * r.lensNumbers[0].sigma);
    EXPECT_LT(r.lensNumbers[0].sigma, 60);
    EXPECT_NEAR(r.frames[0].focalPx, r.lens.focalPx, 1e-9);
    EXPECT_GT(r.points.size(), 80U);
}

TEST(StillViews, AStillFromTheShotsOwnPlaceAddsNoDepth) {
    Place place(3);
    CameraPose turned;
    turned.worldFromCamera = Eigen::AngleAxisd(0.1, Vector3d::UnitY());
    place.addStill(turned, 1300, 1300);
    const SolveResult r = place.joined();
    EXPECT_EQ(r.stills[0].trouble, StillTrouble::noParallax);
    EXPECT_FALSE(r.hasDepth());
    EXPECT_EQ(r.trouble, SolveTrouble::noParallax);
}

TEST(StillViews, WrongPlacesAndFewMarksAreNamedAndChangeNothing) {
    Place place(4);
    place.addStill(lookingAt({-4, 0.5, -1}, {0, 0, -10}), 1300, 1300, 0.4, 1.0);
    place.addStill(lookingAt({-4, 0.5, -1}, {0, 0, -10}), 1300, 1300);
    place.stills.back().marks.resize(5);
    const SolveResult r = place.joined();
    EXPECT_EQ(r.stills[0].trouble, StillTrouble::doesNotFit);
    EXPECT_EQ(r.stills[1].trouble, StillTrouble::fewMarks);
    EXPECT_FALSE(r.stills[0].solved || r.stills[1].solved);
    EXPECT_TRUE(r.points.empty());
}

// A handful of features marked by hand, to half a pixel, where both focal lengths are known.
TEST(StillViews, SevenMarksByHandDo) {
    int joined = 0;
    for (uint64_t seed = 20; seed < 30; ++seed) {
        Place place(seed);
        const CameraPose pose = lookingAt({-5, 1, -3}, {0, 0, -10});
        place.addStill(pose, 1300, 1300, 0.5);
        // Spread over the picture, as an artist would choose them.
        std::vector<StillMark>& marks = place.stills[0].marks;
        std::vector<StillMark> chosen;
        for (const auto& [x, y] :
             {std::pair(0.15, 0.3), {0.85, 0.3}, {0.5, 0.5}, {0.2, 0.7}, {0.8, 0.7}, {0.5, 0.2}, {0.5, 0.8}}) {
            const Vector2d wanted(x * 1600, y * 1200);
            const auto nearest = std::min_element(marks.begin(), marks.end(), [&](const auto& a, const auto& b) {
                return (a.pixel - wanted).norm() < (b.pixel - wanted).norm();
            });
            chosen.push_back(*nearest);
            marks.erase(nearest);
        }
        marks = chosen;
        const SolveResult r = place.joined();
        if (!r.stills[0].solved) continue;
        ++joined;
        EXPECT_EQ(r.points.size(), r.stills[0].used.size());
        const Vector3d there = r.stills[0].pose.position.normalized(), true_ = pose.position.normalized();
        EXPECT_LT(std::acos(there.dot(true_)) * 180 / M_PI, 8) << seed;
    }
    EXPECT_GE(joined, 8);
}

TEST(StillViews, StillsThatShareNothingAreApart) {
    Place place(5);
    place.addStill(lookingAt({-4, 0.5, -1}, {-2, 0, -10}), 1300, 1300);
    place.addStill(lookingAt({4, 0.5, -1}, {2, 0, -10}), 1300, 1300);
    std::erase_if(place.stills[0].marks, [](const StillMark& m) { return m.path % 3 == 0; });
    std::erase_if(place.stills[1].marks, [](const StillMark& m) { return m.path % 3 != 0; });
    const SolveResult r = place.joined();
    EXPECT_TRUE(r.stills[0].solved);
    EXPECT_EQ(r.stills[1].trouble, StillTrouble::apart);
}

TEST(StillViews, AStillJoinsASolveThatHasDepth) {
    Place place(6);
    place.solve.motion = Motion::free;
    for (size_t i = 0; i < place.points.size(); ++i) {
        SolvedPoint p;
        p.pathId = int(i) + 1;
        p.position = place.points[i];
        place.solve.points.push_back(p);
    }
    place.addStill(lookingAt({-3, 1, -1}, {0, 0, -10}), 1250, std::nullopt, 0.4, 0.2);
    place.addStill(lookingAt({2, 1, -1}, {0, 0, -10}), 1400, 1400);
    place.stills.back().marks.resize(4);
    const SolveResult r = place.joined();
    ASSERT_TRUE(r.stills[0].solved);
    EXPECT_NEAR(r.stills[0].lens.focalPx, 1250, 5);
    EXPECT_LT((r.stills[0].pose.position - place.truePoses[0].position).norm(), 0.03);
    // Four marks by hand do where the focal length is known.
    ASSERT_TRUE(r.stills[1].solved);
    EXPECT_LT((r.stills[1].pose.position - place.truePoses[1].position).norm(), 0.1);
    EXPECT_EQ(r.points.size(), place.points.size());
}

TEST(StillViews, WithoutStillsOrSolveNothingHappens) {
    Place place(8);
    EXPECT_TRUE(place.joined().stills.empty());
    place.addStill(lookingAt({-4, 0.5, -1}, {0, 0, -10}), 1300, 1300);
    place.solve = SolveResult();
    EXPECT_TRUE(place.joined().points.empty());
}

}  // namespace
}  // namespace va
