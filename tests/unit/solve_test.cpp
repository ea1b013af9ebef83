// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>
#include <random>
#include <set>

#include "base/error.h"
#include "solve/report/outlier_words.h"
#include "solve/solver.h"
#include "synthetic_shot.h"

namespace va {
namespace {

using test::lookAlong;
using test::makeSyntheticShot;
using test::SyntheticOptions;
using test::SyntheticShot;

SolveResult solve(const SyntheticShot& s) {
    Progress progress;
    return solveShot(s.paths, s.request, progress);
}

void expectFinite(const SolveResult& r) {
    for (const auto& f : r.frames)
        EXPECT_TRUE(f.pose.position.allFinite() && f.pose.worldFromCamera.coeffs().allFinite() &&
                    std::isfinite(f.rmsPx));
    for (const auto& p : r.points) EXPECT_TRUE(p.position.allFinite());
    EXPECT_TRUE(std::isfinite(r.rmsPx) && std::isfinite(r.checkRmsPx) && std::isfinite(r.lens.focalPx));
}

TEST(Camera, ConventionsTurnIntoEachOtherAndBack) {
    const CameraPose pose = lookAlong({1, 2, 3}, 0.4, -0.2);
    const CameraPose back = poseFromView(viewFromPose(pose));
    EXPECT_LT((back.position - pose.position).norm(), 1e-12);
    EXPECT_LT(back.worldFromCamera.angularDistance(pose.worldFromCamera), 1e-12);
    // The camera looks down −Z, so a point there is in the middle; +Y is up, so a higher point is nearer to the
    // picture's top.
    Intrinsics lens;
    lens.focalPx = 1000;
    lens.principalPoint = {639.5, 359.5};
    const CameraPose still;
    EXPECT_LT((*project(still, lens, {0, 0, -5}) - Eigen::Vector2d(639.5, 359.5)).norm(), 1e-12);
    EXPECT_LT(project(still, lens, {0, 1, -5})->y(), 359.5);
    EXPECT_GT(project(still, lens, {1, 0, -5})->x(), 639.5);
    EXPECT_FALSE(project(still, lens, {0, 0, 5})) << "behind the camera";
}

TEST(Camera, RayLeadsBackThroughThePixel) {
    Intrinsics lens;
    lens.focalPx = 900;
    lens.pixelAspect = 1.4587;  // PAL anamorphic pixels
    lens.principalPoint = {350, 280};
    lens.lens = LensModel::brownConrady(-0.1, 0.02);
    const CameraPose pose = lookAlong({-1, 0.5, 2}, 0.7, 0.1);
    const auto ray = worldRay(pose, lens, {612.3, 41.9});
    ASSERT_TRUE(ray);
    EXPECT_LT((*project(pose, lens, pose.position + 7.3 * *ray) - Eigen::Vector2d(612.3, 41.9)).norm(), 1e-9);
}

TEST(Solver, FindsADollyWithNothingKnown) {
    const SyntheticShot s = makeSyntheticShot({});
    const SolveResult r = solve(s);
    ASSERT_EQ(r.motion, Motion::free);
    EXPECT_EQ(r.solvedCount(), 40);
    EXPECT_EQ(r.trouble, SolveTrouble::none);
    EXPECT_NEAR(r.lens.focalPx / 1100, 1, 0.004);
    EXPECT_NEAR(r.lens.lens.value("k1"), -0.05, 0.01);
    EXPECT_LT(r.rmsPx, 0.2);
    EXPECT_GT(r.rmsPx, 0.1) << "noise of 0.1 px an axis can't fit better than this";
    EXPECT_GT(r.checkPaths, 10);
    EXPECT_NEAR(r.checkRmsPx, r.rmsPx, 0.08);
    // The path's shape: distances between cameras in proportion.
    const double whole = (r.frames[39].pose.position - r.frames[0].pose.position).norm(),
                 half = (r.frames[20].pose.position - r.frames[0].pose.position).norm();
    const double trueWhole = (s.cameras[39].position - s.cameras[0].position).norm(),
                 trueHalf = (s.cameras[20].position - s.cameras[0].position).norm();
    EXPECT_NEAR(half / whole, trueHalf / trueWhole, 0.002);
    expectFinite(r);
}

TEST(Solver, TellsOfAFirstCameraBeforeItIsDone) {
    const SyntheticShot s = makeSyntheticShot({});
    Progress progress;
    std::vector<SolveResult> told;
    const SolveResult r = solveShot(s.paths, s.request, progress, [&](const SolveResult& f) { told.push_back(f); });
    ASSERT_EQ(told.size(), 1U);
    const SolveResult& first = told.front();
    expectFinite(first);
    EXPECT_TRUE(first.preliminary);
    EXPECT_FALSE(r.preliminary);
    EXPECT_EQ(first.solvedCount(), int(s.request.frames.size()));
    EXPECT_NEAR(first.lens.focalPx / s.lens.focalPx, 1, 0.03);
    EXPECT_LT(std::fabs(r.lens.focalPx - s.lens.focalPx), std::fabs(first.lens.focalPx - s.lens.focalPx) + 2);
    // To listen changes nothing.
    const SolveResult alone = solve(s);
    EXPECT_EQ(alone.lens.focalPx, r.lens.focalPx);
    EXPECT_EQ(alone.rmsPx, r.rmsPx);
}

TEST(Solver, UsesWhatIsKnown) {
    SyntheticShot s = makeSyntheticShot({});
    s.request.focal = Known::known;
    s.request.focalPx = 1100;
    s.request.distortion = Known::known;
    s.request.lens = s.lens.lens;
    const SolveResult r = solve(s);
    EXPECT_EQ(r.motion, Motion::free);
    EXPECT_DOUBLE_EQ(r.lens.focalPx, 1100);
    EXPECT_DOUBLE_EQ(r.lens.lens.value("k1"), -0.05);
    EXPECT_LT(r.rmsPx, 0.2);
}

TEST(Solver, SetsWrongPathsAsideWithAReason) {
    SyntheticOptions o;
    o.outlierShare = 0.25;
    o.points = 400;
    const SyntheticShot s = makeSyntheticShot(o);
    const SolveResult r = solve(s);
    ASSERT_EQ(r.motion, Motion::free);
    EXPECT_NEAR(r.lens.focalPx / 1100, 1, 0.008);
    EXPECT_LT(r.rmsPx, 0.25);
    int whole = 0;
    for (const auto& out : r.outliers) {
        EXPECT_EQ(out.whole, out.reason != OutlierReason::noise);
        EXPECT_FALSE(outlierWords(out.reason).empty());
        whole += out.whole;
    }
    EXPECT_GT(whole, 40);
}

TEST(Solver, EqualInputEqualResult) {
    const SyntheticShot s = makeSyntheticShot({});
    const SolveResult a = solve(s), b = solve(s);
    ASSERT_EQ(a.frames.size(), b.frames.size());
    for (size_t i = 0; i < a.frames.size(); ++i) EXPECT_EQ(a.frames[i].pose.position, b.frames[i].pose.position);
    EXPECT_EQ(a.lens.focalPx, b.lens.focalPx);
    EXPECT_EQ(a.rmsPx, b.rmsPx);
}

class Pan : public ::testing::TestWithParam<int> {};

// Common practice: a camera that only turns gives no depth; the program must notice and give no false 3D.
TEST_P(Pan, NeverBecomesAFreeMove) {
    SyntheticOptions o;
    o.seed = uint64_t(GetParam());
    std::mt19937 random(o.seed);
    std::uniform_real_distribution<double> u(-1, 1);
    const double sweep = 0.3 + 0.25 * u(random), tilt = 0.15 * u(random), shake = 0.004;
    o.noisePx = 0.15;
    o.k1 = 0.05 * u(random);
    o.focalPx = 1000 + 300 * u(random);
    o.camera = [=](double t) {
        return lookAlong({1, 2, 3}, sweep * (t - 0.5) + shake * std::sin(40 * t), tilt * t + shake * std::cos(31 * t));
    };
    const SyntheticShot s = makeSyntheticShot(o);
    const SolveResult r = solve(s);
    EXPECT_EQ(r.motion, Motion::nodalPan) << "focal " << o.focalPx << " sweep " << sweep;
    EXPECT_EQ(r.trouble, SolveTrouble::noParallax);
    EXPECT_TRUE(r.points.empty());
    EXPECT_EQ(r.solvedCount(), 40);
    for (const auto& f : r.frames) EXPECT_EQ(f.pose.position, Eigen::Vector3d(0, 0, 0));
    if (std::fabs(sweep) > 0.25) {
        const double rotation =
            r.frames.front().pose.worldFromCamera.angularDistance(r.frames.back().pose.worldFromCamera);
        const double trueRotation = s.cameras.front().worldFromCamera.angularDistance(s.cameras.back().worldFromCamera);
        EXPECT_NEAR(rotation / trueRotation, 1, 0.03);
    }
    expectFinite(r);
}
INSTANTIATE_TEST_SUITE_P(Random, Pan, ::testing::Range(1, 13));

class FreeMove : public ::testing::TestWithParam<int> {};

TEST_P(FreeMove, WithParallaxNeverBecomesAPan) {
    SyntheticOptions o;
    o.seed = uint64_t(100 + GetParam());
    std::mt19937 random(o.seed);
    std::uniform_real_distribution<double> u(-1, 1);
    o.noisePx = 0.15;
    o.focalPx = 1100 + 350 * u(random);
    const Eigen::Vector3d move(0.6 + 1.5 * std::fabs(u(random)), 0.4 * u(random), 1.0 * u(random));
    const double rotation = 0.25 * u(random);
    o.camera = [=](double t) { return lookAlong(move * t, rotation * t, 0.05 * t); };
    const SyntheticShot s = makeSyntheticShot(o);
    const SolveResult r = solve(s);
    ASSERT_EQ(r.motion, Motion::free);
    EXPECT_EQ(r.solvedCount(), 40);
    EXPECT_LT(r.rmsPx, 0.35);
    EXPECT_NEAR(r.lens.focalPx / o.focalPx, 1, 0.05);
    expectFinite(r);
}
INSTANTIATE_TEST_SUITE_P(Random, FreeMove, ::testing::Range(1, 13));

TEST(Solver, StandingCameraIsSaidToStand) {
    SyntheticOptions o;
    o.noisePx = 0.05;
    o.camera = [](double) { return lookAlong({0, 1, 0}, 0, 0); };
    const SolveResult r = solve(makeSyntheticShot(o));
    EXPECT_EQ(r.motion, Motion::lockedOff);
    EXPECT_EQ(r.trouble, SolveTrouble::noParallax);
    EXPECT_TRUE(r.points.empty());
    expectFinite(r);
}

// Two thirds of what is seen lie on something that drives and turns before a camera on its stand: that is not the
// scene.
TEST(Solver, SomethingLargeBeforeAStandingCameraIsNotTheScene) {
    for (const double share : {0.55, 0.68}) {
        SyntheticOptions o;
        o.points = 400;
        o.moverShare = share;
        o.camera = [](double) { return lookAlong({0, 0, 0}, 0, 0); };
        const SyntheticShot shot = makeSyntheticShot(o);
        Progress progress;
        const SolveResult solve = solveShot(shot.paths, shot.request, progress);
        EXPECT_EQ(solve.motion, Motion::lockedOff) << share;
        const std::set<int> own(shot.moverPaths.begin(), shot.moverPaths.end());
        int moving = 0;
        for (const SolveOutlier& out : solve.outliers) moving += own.contains(out.pathId);
        EXPECT_GE(moving * 10, int(own.size()) * 8) << share;
    }
}

TEST(Solver, TooLittleIsSaid) {
    SyntheticOptions o;
    o.points = 5;
    SolveResult r = solve(makeSyntheticShot(o));
    EXPECT_FALSE(r.has());
    EXPECT_NE(r.trouble, SolveTrouble::none);
    SyntheticShot one = makeSyntheticShot({});
    one.request.frames.resize(1);
    r = solve(one);
    EXPECT_FALSE(r.has());
    EXPECT_EQ(r.trouble, SolveTrouble::tooFewFrames);
    SyntheticShot nothing = makeSyntheticShot({});
    nothing.paths.clear();
    r = solve(nothing);
    EXPECT_EQ(r.trouble, SolveTrouble::tooFewPaths);
    EXPECT_EQ(r.frames.size(), 40U);
    SyntheticShot empty;
    r = solve(empty);
    EXPECT_FALSE(r.has());
}

TEST(Solver, ThreeFramesDoWithEnoughParallaxOrSayWhy) {
    SyntheticOptions o;
    o.frames = 3;
    const SolveResult r = solve(makeSyntheticShot(o));
    if (r.has()) EXPECT_GT(r.solvedCount(), 1);
    else EXPECT_NE(r.trouble, SolveTrouble::none);
    expectFinite(r);
}

TEST(Solver, NonFinitePathsAreLeftOut) {
    SyntheticShot s = makeSyntheticShot({});
    for (size_t i = 0; i < s.paths.size(); i += 10)
        s.paths[i].points[1].x = std::nan(""), s.paths[i].points[2].sxx = -1;
    const SolveResult r = solve(s);
    EXPECT_EQ(r.motion, Motion::free);
    expectFinite(r);
}

TEST(Solver, CancelStopsIt) {
    const SyntheticShot s = makeSyntheticShot({});
    Progress progress;
    progress.cancel();
    EXPECT_THROW((void)solveShot(s.paths, s.request, progress), Cancelled);
    int stages = 0;
    Progress* stopping = nullptr;
    Progress later([&](const Progress::State& st) {
        if (st.stage == "Refining the solve" && st.done == 1) ++stages, stopping->cancel();
    });
    stopping = &later;
    EXPECT_THROW((void)solveShot(s.paths, s.request, later), Cancelled);
    EXPECT_EQ(stages, 1);
}

/// A lens of 14 degrees that sways by hundredths of the distance: depth takes up nearly all of an error of the focal
/// length, and the solve has to say so.
TEST(LongLens, FocalLengthStaysWithinWhatIsStated) {
    double squares = 0, worst = 0;
    constexpr int draws = 6;
    for (int draw = 0; draw < draws; ++draw) {
        test::SyntheticOptions o;
        o.focalPx = 5200, o.k1 = o.k2 = 0;
        o.seed = uint64_t(50 + draw);
        o.noisePx = 0.12;
        const double side = 0.018 + 0.004 * draw;
        o.camera = [side](double t) {
            const double a = 6.3 * t;
            return test::lookAlong({side * std::sin(a), 0.6 * side * std::sin(2 * a + 1), side * std::cos(a)},
                                   0.02 * std::sin(a), 0.01 * std::cos(1.3 * a));
        };
        const test::SyntheticShot shot = test::makeSyntheticShot(o);
        Progress progress;
        const SolveResult solve = solveShot(shot.paths, shot.request, progress);
        ASSERT_EQ(solve.motion, Motion::free) << draw;
        double sigma = 0;
        for (const LensNumber& n : solve.lensNumbers)
            if (n.name == "focal") sigma = n.sigma / n.value;
        ASSERT_GT(sigma, 0) << draw;
        const double off = solve.lens.focalPx / o.focalPx - 1;
        std::printf("side %.3f: focal off %.2f %%, stated %.2f %%\n", side, 100 * off, 100 * sigma);
        squares += off * off / (sigma * sigma) / draws;
        worst = std::max(worst, std::fabs(off) / sigma);
    }
    // The deviation of six draws is itself known to 30 %.
    EXPECT_LT(std::sqrt(squares), 1.6);
    EXPECT_LT(worst, 2.8);
}

}  // namespace
}  // namespace va
