// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>

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
SolveResult update(const SyntheticShot& s, const SolveResult& from) {
    Progress progress;
    return updateSolve(s.paths, s.request, from, progress);
}

TEST(UpdateSolve, WithoutAnEditComesBackToTheSameCameras) {
    const SyntheticShot s = makeSyntheticShot({});
    const SolveResult first = solve(s), again = update(s, first);
    ASSERT_EQ(again.motion, Motion::free);
    EXPECT_EQ(again.solvedCount(), 40);
    EXPECT_NEAR(again.rmsPx, first.rmsPx, 0.003);
    EXPECT_NEAR(again.checkRmsPx, first.checkRmsPx, 0.01);
    EXPECT_NEAR(again.lens.focalPx / first.lens.focalPx, 1, 5e-4);
    for (size_t f = 0; f < first.frames.size(); ++f)
        EXPECT_LT((again.frames[f].pose.position - first.frames[f].pose.position).norm(), 0.01) << f;
    EXPECT_EQ(again.heldBack, first.heldBack);
}

TEST(UpdateSolve, MakesUpForWhatADraftLeavesOut) {
    SyntheticOptions options;
    options.zoomTo = 1.3;
    SyntheticShot s = makeSyntheticShot(options);
    s.request.draft = true;
    const SolveResult first = solve(s);
    ASSERT_TRUE(first.zooms);
    EXPECT_TRUE(first.draft);
    s.request.draft = false;
    const SolveResult again = update(s, first), whole = solve(s);
    EXPECT_FALSE(again.draft);
    EXPECT_FALSE(whole.draft);
    EXPECT_EQ(again.solvedCount(), 40);
    for (const size_t f : {size_t(0), size_t(20), size_t(39)})
        EXPECT_NEAR(again.frames[f].focalPx / whole.frames[f].focalPx, 1, 2e-3) << f;
    // A focal length that is well told leaves nothing to make up for.
    SyntheticShot steady = makeSyntheticShot({});
    steady.request.draft = true;
    EXPECT_FALSE(solve(steady).draft);
}

TEST(UpdateSolve, LeavesOutWhatWasSetAsideAndKeepsTheWorld) {
    SyntheticShot s = makeSyntheticShot({});
    const SolveResult first = solve(s);
    for (size_t i = 0; i < s.paths.size(); i += 5) s.paths[i].setAside = true;
    const SolveResult again = update(s, first);
    ASSERT_EQ(again.motion, Motion::free);
    EXPECT_EQ(again.solvedCount(), 40);
    for (const SolvedPoint& p : again.points)
        EXPECT_FALSE(s.paths[size_t(std::find_if(s.paths.begin(), s.paths.end(),
                                                 [&](const Path& q) { return q.id == p.pathId; }) -
                                    s.paths.begin())]
                         .setAside);
    EXPECT_LT((again.frames[0].pose.position - first.frames[0].pose.position).norm(), 1e-6);
    // Points that both have are where they were, as nearly as a fifth of the paths matters.
    double sum = 0;
    int n = 0;
    for (const SolvedPoint& p : again.points)
        for (const SolvedPoint& q : first.points)
            if (p.pathId == q.pathId) sum += (p.position - q.position).norm() / q.position.norm(), ++n;
    ASSERT_GT(n, 100);
    EXPECT_LT(sum / n, 0.004);
}

TEST(UpdateSolve, GrowsIntoFramesThatWereNotSolvedBefore) {
    SyntheticShot s = makeSyntheticShot({});
    const std::vector<int> all = s.request.frames;
    s.request.frames.assign(all.begin() + 8, all.end() - 8);
    const SolveResult part = solve(s);
    ASSERT_EQ(part.solvedCount(), 24);
    s.request.frames = all;
    const SolveResult whole = update(s, part);
    EXPECT_EQ(whole.solvedCount(), 40);
    EXPECT_LT(whole.rmsPx, 0.2);
    // The world is still that of the first solve.
    EXPECT_LT((whole.at(1009)->pose.position - part.at(1009)->pose.position).norm(), 0.05);
}

TEST(UpdateSolve, SolvesAnewWhereNothingIsLeft) {
    const SyntheticShot s = makeSyntheticShot({});
    SolveResult other = solve(s);
    for (SolvedPoint& p : other.points) p.pathId += 100000;
    const SolveResult r = update(s, other);
    EXPECT_EQ(r.motion, Motion::free);
    EXPECT_EQ(r.solvedCount(), 40);
    EXPECT_LT(r.rmsPx, 0.2);
}

/// A camera in the hand: rows that are read late see it somewhere else.
SyntheticOptions shaken(double readout) {
    SyntheticOptions o;
    o.frames = 60;
    o.points = 300;
    o.readout = readout;
    o.camera = [](double t) {
        return lookAlong({-2 + 4 * t, 0.3 * t + 0.02 * std::sin(50 * t), 0.5 * t},
                         0.12 - 0.3 * t + 0.012 * std::sin(60 * t), 0.02 + 0.010 * std::sin(45 * t + 1));
    };
    return o;
}

TEST(RollingShutter, ReadoutTimeIsFoundAndTheCameraWithIt) {
    SyntheticShot s = makeSyntheticShot(shaken(0.6));
    s.request.readoutKnown = Known::start;
    const SolveResult found = solve(s);
    ASSERT_EQ(found.motion, Motion::free);
    EXPECT_NEAR(found.readout, 0.6, 0.03);
    EXPECT_GT(found.readoutSigma, 0);
    EXPECT_LT(found.readoutSigma, 0.03);
    EXPECT_LT(found.rmsPx, 0.22);
    // A point is seen where its row was read.
    double sum = 0;
    int n = 0;
    for (const SolvedPoint& p : found.points)
        for (const Path& path : s.paths)
            if (path.id == p.pathId && !p.heldBack)
                for (const PathPoint& q : path.points)
                    if (const auto pixel = found.seen(q.frame, p.position))
                        sum += (*pixel - Eigen::Vector2d(q.x, q.y)).squaredNorm(), ++n;
    ASSERT_GT(n, 1000);
    EXPECT_LT(std::sqrt(sum / n), 0.25);
}

// Where nothing was said, rows that do not fit as read at once are no silent wrong camera.
TEST(RollingShutter, FoundInAFreeMoveWhereNothingWasSaid) {
    for (const double readout : {0.3, -0.6, 0.8}) {
        const SyntheticShot s = makeSyntheticShot(shaken(readout));
        const SolveResult r = solve(s);
        ASSERT_EQ(r.motion, Motion::free);
        EXPECT_NEAR(r.readout, readout, 0.01);
        EXPECT_GT(r.readoutSigma, 0);
        EXPECT_LT(r.rmsPx, 0.2);
        EXPECT_NEAR(r.lens.focalPx, 1100, 0.004 * 1100);
        // It stays so where the solve is brought up to date.
        const SolveResult again = update(s, r);
        EXPECT_NEAR(again.readout, readout, 0.01);
        EXPECT_GT(again.readoutSigma, 0);
        EXPECT_LT(again.rmsPx, 0.2);
    }
    const SolveResult atOnce = solve(makeSyntheticShot(shaken(0)));
    EXPECT_EQ(atOnce.readout, 0);
    EXPECT_LT(atOnce.readoutSigma, 0) << "not even looked for";
}

/// A quiet walk: errors by rows are small, and hide in noise.
SyntheticOptions walked(double readout, double noisePx, uint64_t seed) {
    SyntheticOptions o;
    o.frames = 48, o.points = 250;
    o.width = 960, o.height = 540;
    o.focalPx = 850;
    o.noisePx = noisePx;
    o.readout = readout;
    o.seed = seed;
    o.camera = [](double t) {
        return lookAlong({-2 + 4 * t + 0.01 * std::sin(21 * t), 0.2 * t + 0.015 * std::sin(23 * t + 1), 0.5 * t},
                         0.1 - 0.2 * t + 0.01 * std::sin(13 * t + 2), 0.008 * std::sin(9 * t));
    };
    return o;
}

// Read-out times of usual cameras at 25 frames a second are 5 to 30 ms (common practice): 0.12 to 0.75 frames.
TEST(RollingShutter, AShortOneIsFoundInAQuietWalk) {
    double focal = 0, focalAtOnce = 0;
    for (const uint64_t seed : {17U, 34U, 51U, 68U}) {
        SyntheticShot s = makeSyntheticShot(walked(0.35, 0.15, seed));
        const SolveResult r = solve(s);
        ASSERT_EQ(r.motion, Motion::free);
        EXPECT_NEAR(r.readout, 0.35, 0.015) << seed;
        EXPECT_GT(r.readoutSigma, 0) << seed;
        s.request.readoutKnown = Known::known;
        s.request.readout = 0;
        focal += std::pow(r.lens.focalPx / 850 - 1, 2);
        focalAtOnce += std::pow(solve(s).lens.focalPx / 850 - 1, 2);
    }
    EXPECT_LT(focal, 0.6 * focalAtOnce) << "what it is worth";
}

TEST(RollingShutter, FoundWhereNoiseHidesMostOfIt) {
    for (const uint64_t seed : {3U, 5U, 8U}) {
        const SolveResult r = solve(makeSyntheticShot(walked(0.7, 0.6, seed)));
        ASSERT_EQ(r.motion, Motion::free);
        EXPECT_NEAR(r.readout, 0.7, 0.05) << seed;
        EXPECT_GT(r.readoutSigma, 0) << seed;
    }
}

TEST(RollingShutter, FoundInAPanThatIsOneAlsoWithoutIt) {
    for (const double readout : {0.2, 0.0}) {
        SyntheticOptions o = walked(readout, 0.15, 17);
        o.camera = [](double t) {
            return lookAlong({0, 0, 0}, 0.3 - 0.6 * t + 0.01 * std::sin(13 * t + 2) + 0.004 * std::sin(40 * t),
                             0.008 * std::sin(9 * t) + 0.004 * std::sin(47 * t));
        };
        const SolveResult r = solve(makeSyntheticShot(o));
        ASSERT_EQ(r.motion, Motion::nodalPan);
        EXPECT_NEAR(r.readout, readout, readout > 0 ? 0.015 : 0.0);
        EXPECT_EQ(r.readoutSigma > 0, readout > 0);
        // How sure the focal length is is told with rows and without.
        const auto focal = std::find_if(r.lensNumbers.begin(), r.lensNumbers.end(),
                                        [](const LensNumber& n) { return n.name == "focal"; });
        ASSERT_NE(focal, r.lensNumbers.end());
        EXPECT_GT(focal->sigma, 1e-4 * 850);
        EXPECT_LT(std::fabs(focal->value - 850), 4 * focal->sigma);
    }
}

// Errors that have other causes do not go with how the camera moves.
TEST(RollingShutter, NoiseAndAWrongLensAreNotTakenForOne) {
    for (const uint64_t seed : {3U, 5U, 8U})
        for (const double k1 : {0.0, -0.12}) {
            SyntheticOptions o = walked(0, 0.6, seed);
            o.k1 = k1, o.k2 = 0;
            SyntheticShot s = makeSyntheticShot(o);
            s.request.distortion = Known::known;
            s.request.lens = LensModel();
            const SolveResult r = solve(s);
            ASSERT_EQ(r.motion, Motion::free);
            EXPECT_EQ(r.readout, 0) << seed << ' ' << k1;
        }
}

TEST(RollingShutter, KnownReadoutIsUsed) {
    SyntheticShot s = makeSyntheticShot(shaken(0.6));
    s.request.readoutKnown = Known::known;
    s.request.readout = 0.6;
    const SolveResult r = solve(s);
    EXPECT_EQ(r.readout, 0.6);
    EXPECT_LT(r.readoutSigma, 0) << "given, not solved";
    EXPECT_LT(r.rmsPx, 0.22);
    s.request.readout = 0;
    const SolveResult atOnce = solve(s);
    EXPECT_EQ(atOnce.readout, 0) << "known to be at once, whatever the paths say";
    EXPECT_GT(atOnce.rmsPx, 1.3 * r.rmsPx);
}

TEST(RollingShutter, AGlobalShutterIsNotTakenForARollingOne) {
    SyntheticShot s = makeSyntheticShot(shaken(0));
    s.request.readoutKnown = Known::start;
    const SolveResult r = solve(s);
    EXPECT_NEAR(r.readout, 0, 0.02);
    EXPECT_NEAR(r.readout / r.readoutSigma, 0, 4);
}

TEST(RollingShutter, AStillStandingCameraDoesNotTellItsReadout) {
    SyntheticOptions o;
    o.readout = 0.5;
    o.camera = [](double t) { return lookAlong({-0.2 + 0.4 * t, 0, 0}, 0, 0); };
    SyntheticShot s = makeSyntheticShot(o);
    s.request.readoutKnown = Known::start;
    const SolveResult r = solve(s);
    EXPECT_TRUE(std::isfinite(r.readout));
    EXPECT_GT(r.readoutSigma, 0.05) << "an even, slow slide looks the same with a slightly turned scene";
}

}  // namespace
}  // namespace va
