// SPDX-License-Identifier: GPL-3.0-or-later
// The parts of the solve between paths and bundle: layout, keyframes, start pairs, kind of move, check error.
#include "solve/incremental/observations.h"

#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "solve/incremental/first_pair.h"
#include "solve/incremental/frame_poses.h"
#include "solve/incremental/keyframes.h"
#include "solve/incremental/model_choice.h"
#include "solve/incremental/outliers.h"
#include "solve/incremental/point_placement.h"
#include "solve/incremental/reconstruction.h"
#include "solve/incremental/refine.h"
#include "solve/minimal/robust_sampling.h"
#include "solve/report/check_error.h"
#include "synthetic_shot.h"

namespace va {
namespace {

using test::lookAlong;
using test::makeSyntheticShot;
using test::SyntheticOptions;
using test::SyntheticShot;

Observations laidOut(const SyntheticShot& s, double heldBack = 0.1) {
    return layOut(s.paths, s.request.frames, s.request.width, s.request.height, heldBack, 1);
}

TEST(Observations, FramesAndPathsPointAtEachOther) {
    const SyntheticShot shot = makeSyntheticShot({});
    const Observations s = laidOut(shot);
    ASSERT_EQ(s.pathCount(), int(shot.paths.size()));
    size_t counted = 0;
    for (const FrameIndex f : s.indices())
        for (int i : s.byFrame[f]) {
            const PathObservation& seen = s.all[size_t(i)];
            EXPECT_EQ(seen.frame, f);
            EXPECT_EQ(s.find(seen.path, f), i);
            ++counted;
        }
    EXPECT_EQ(counted, s.all.size());
    EXPECT_EQ(s.find(0, FrameIndex(999)), -1);
}

TEST(Observations, HeldBackPathsCoverTheFrame) {
    SyntheticOptions o;
    o.points = 800;
    const Observations s = laidOut(makeSyntheticShot(o));
    int held = 0;
    std::set<int> cells;
    for (int p = 0; p < s.pathCount(); ++p) {
        if (!s.heldBack[size_t(p)]) continue;
        ++held;
        const auto [begin, end] = s.ofPath[size_t(p)];
        const PathObservation& middle = s.all[size_t((begin + end) / 2)];
        cells.insert(int(middle.pixel.y() / 240) * 10 + int(middle.pixel.x() / 320));
    }
    EXPECT_NEAR(double(held) / s.pathCount(), 0.1, 0.03);
    EXPECT_GE(cells.size(), 10U) << "of 12 parts of the picture";
    // None of them takes part in what the solve sees.
    for (const auto& [i, j] : s.shared(FrameIndex(0), FrameIndex(5)))
        EXPECT_FALSE(s.heldBack[size_t(s.all[size_t(i)].path)]);
    const Observations none = laidOut(makeSyntheticShot(o), 0);
    EXPECT_EQ(std::count(none.heldBack.begin(), none.heldBack.end(), 1), 0);
}

TEST(Observations, SetAsidePathsAndOtherFramesStayOut) {
    SyntheticShot shot = makeSyntheticShot({});
    for (size_t i = 0; i < shot.paths.size(); i += 2) shot.paths[i].setAside = true;
    shot.request.frames = {1005, 1006, 1007, 1008};
    const Observations s = laidOut(shot);
    EXPECT_EQ(s.frameCount(), 4);
    for (int id : s.pathIds) {
        const auto it = std::find_if(shot.paths.begin(), shot.paths.end(), [&](const Path& p) { return p.id == id; });
        EXPECT_FALSE(it->setAside);
    }
    for (const PathObservation& seen : s.all) EXPECT_LT(seen.frame, FrameIndex(4));
}

// A re-taken reference may sit a little beside the first: each stretch has to be a point of its own.
TEST(Observations, StretchesBetweenRetakesAreSeparatePoints) {
    SyntheticShot shot = makeSyntheticShot({});
    Path& path = shot.paths[3];
    ASSERT_GE(path.points.size(), 12U);
    for (size_t i = 6; i < path.points.size(); ++i) path.points[i].chain = 1;
    const Observations s = laidOut(shot);
    EXPECT_EQ(std::count(s.pathIds.begin(), s.pathIds.end(), path.id), 2);
    EXPECT_EQ(s.pathCount(), int(shot.paths.size()) + 1);
}

TEST(Observations, CovarianceWhitensErrors) {
    SyntheticShot shot = makeSyntheticShot({});
    PathPoint& p = shot.paths[0].points[0];
    p.sxx = 0.04F, p.sxy = 0.01F, p.syy = 0.09F;
    shot.paths[0].points[1].sxx = 0;  // a path from elsewhere, without a covariance
    const Observations s = laidOut(shot);
    Eigen::Matrix2d covariance;
    covariance << p.sxx, p.sxy, p.sxy, p.syy;
    const Eigen::Matrix2d w = s.all[0].sqrtInformation;
    EXPECT_LT((w * covariance * w.transpose() - Eigen::Matrix2d::Identity()).norm(), 1e-5);
    EXPECT_TRUE(s.all[1].sqrtInformation.allFinite());
    EXPECT_GT(s.all[1].sqrtInformation(0, 0), 0);
}

TEST(Median, TakesTheMiddle) {
    EXPECT_EQ(median({}), 0);
    EXPECT_EQ(median({3, 1, 2}), 2);
    EXPECT_EQ(median({5}), 5);
}

TEST(Keyframes, HoldTheEndsAndFollowTheMotion) {
    const Observations moving = laidOut(makeSyntheticShot({}));
    const auto keys = chooseKeyframes(moving);
    ASSERT_GE(keys.size(), 4U);
    EXPECT_EQ(keys.front(), FrameIndex(0));
    EXPECT_EQ(keys.back(), FrameIndex(39));
    for (size_t i = 1; i + 1 < keys.size(); ++i) EXPECT_GT(medianMove(moving, keys[i - 1], keys[i]), 1280 / 40.0);
    SyntheticOptions still;
    still.camera = [](double) { return lookAlong({0, 0, 0}, 0, 0); };
    EXPECT_EQ(chooseKeyframes(laidOut(makeSyntheticShot(still))).size(), 2U) << "nothing moves: first and last do";
    EXPECT_TRUE(chooseKeyframes(Observations{}).empty());
}

TEST(Keyframes, StartPairsNeedParallaxNotMotion) {
    const Observations moving = laidOut(makeSyntheticShot({}));
    const auto pairs = rankStartPairs(moving, chooseKeyframes(moving), 1);
    ASSERT_FALSE(pairs.empty());
    EXPECT_GT(pairs.front().parallax, 10);
    EXPECT_GE(pairs.front().shared, 24);
    SyntheticOptions pan;
    pan.camera = [](double t) { return lookAlong({0, 0, 0}, 0.4 * t, 0); };
    pan.k1 = pan.k2 = 0;
    const Observations turning = laidOut(makeSyntheticShot(pan));
    for (const StartPair& p : rankStartPairs(turning, chooseKeyframes(turning), 1)) EXPECT_LT(p.parallax, 1.0);
}

MotionEvidence evidenceFor(const SyntheticOptions& o) {
    const Observations s = laidOut(makeSyntheticShot(o));
    Intrinsics lens;
    lens.focalPx = 1.1 * o.width;
    lens.principalPoint = {(o.width - 1) / 2.0, (o.height - 1) / 2.0};
    return chooseMotion(
        s, chooseKeyframes(s), lens, {LensValue::focal, LensValue::k1, LensValue::k2},
        {{0, LensValue::focal, lens.focalPx, 1.0}, {0, LensValue::k1, 0, 0.2}, {0, LensValue::k2, 0, 0.2}}, 1);
}

TEST(ModelChoice, TellsLockedOffNodalPanAndFree) {
    SyntheticOptions o;
    o.noisePx = 0.1;
    EXPECT_EQ(evidenceFor(o).motion, Motion::free);
    o.camera = [](double t) { return lookAlong({0, 0, 0}, 0.35 * t, 0.05 * t); };
    const MotionEvidence pan = evidenceFor(o);
    EXPECT_EQ(pan.motion, Motion::nodalPan);
    EXPECT_NEAR(pan.rotation.lens.focalPx / 1100, 1, 0.02);
    EXPECT_LT(pan.rotation.robustRmsPx, 0.15);
    o.camera = [](double) { return lookAlong({0, 0, 0}, 0.1, 0); };
    o.noisePx = 0.05;
    EXPECT_EQ(evidenceFor(o).motion, Motion::lockedOff);
}

// Common practice: depth shows as parallax; a hand's breadth of travel past things some metres away is a free move.
TEST(ModelChoice, SmallTravelIsSeenWhenItShows) {
    SyntheticOptions o;
    o.camera = [](double t) { return lookAlong({0.25 * t, 0, 0}, 0.3 * t, 0); };
    const MotionEvidence e = evidenceFor(o);
    EXPECT_EQ(e.motion, Motion::free);
    EXPECT_GT(e.rotation.upperPx, 3);
}

TEST(RobustSampling, FindsALineAmongNonsense) {
    std::vector<Eigen::Vector2d> data;
    for (int i = 0; i < 60; ++i) data.emplace_back(i * 0.1, 3 + 0.5 * i * 0.1);
    for (int i = 0; i < 60; ++i) data.emplace_back(i * 0.1, std::fmod(i * 7.3, 11.0));
    SamplingOptions options;
    options.threshold = 0.02;
    using Line = std::pair<double, double>;
    const auto found = robustSampling<Line>(
        int(data.size()), 2, options,
        [&](const std::vector<int>& k, std::vector<Line>& models) {
            const auto &a = data[size_t(k[0])], &b = data[size_t(k[1])];
            if (std::fabs(b.x() - a.x()) < 1e-9) return;
            const double slope = (b.y() - a.y()) / (b.x() - a.x());
            models.emplace_back(slope, a.y() - slope * a.x());
        },
        [&](const Line& l, int i) {
            return std::pow(data[size_t(i)].y() - l.first * data[size_t(i)].x() - l.second, 2);
        });
    ASSERT_TRUE(found.found);
    EXPECT_NEAR(found.model.first, 0.5, 1e-9);
    EXPECT_NEAR(found.model.second, 3, 1e-9);
    EXPECT_GE(found.agreeing, 60);
    EXPECT_FALSE((robustSampling<Line>(
                      1, 2, options, [](const auto&, auto&) {}, [](const Line&, int) { return 0.0; })
                      .found));
}

/// A reconstruction with true cameras, for looking at the check error by itself.
class CheckError : public ::testing::Test {
  protected:
    static Reconstruction grown(const SyntheticShot& shot) {
        Intrinsics lens = shot.lens;
        Reconstruction r(laidOut(shot), lens);
        EXPECT_TRUE(beginFrom(r, FrameIndex(4), FrameIndex(30), 1));
        for (const FrameIndex f : r.observations().indices())
            EXPECT_TRUE(r.hasView(f) || addFrame(r, f, 1)) << f.value();
        addPoints(r, 0.01);
        refine(r, {}, {}, 20, 1e-6);
        classifyOutliers(r, 5);
        return r;
    }
};

TEST_F(CheckError, EqualsTheNoiseWhenCamerasAreRight) {
    SyntheticOptions o;
    o.noisePx = 0.2;
    o.points = 600;
    const SyntheticShot shot = makeSyntheticShot(o);
    const Reconstruction r = grown(shot);
    double sum = 0;
    int count = 0, paths = 0;
    for (int p = 0; p < r.observations().pathCount(); ++p) {
        if (!r.observations().heldBack[size_t(p)]) continue;
        EXPECT_FALSE(r.points()[size_t(p)]) << "a held-back path has no part in the solve";
        if (const auto c = checkPath(r, p, 3)) sum += c->sumSquares, count += c->count, ++paths;
    }
    ASSERT_GT(paths, 20);
    // Two axes of 0.2 px, and a little for placing each half from the other.
    EXPECT_GT(std::sqrt(sum / count), 0.2 * std::sqrt(2.0) * 0.95);
    EXPECT_LT(std::sqrt(sum / count), 0.2 * std::sqrt(2.0) * 1.25);
}

TEST_F(CheckError, WrongPathsAreNoNewsAboutTheCamera) {
    SyntheticShot shot = makeSyntheticShot({});
    const Reconstruction good = grown(shot);
    int path = 0;
    while (!good.observations().heldBack[size_t(path)]) ++path;
    EXPECT_TRUE(checkPath(good, path, 3));
    for (Path& p : shot.paths) {
        if (p.id != good.observations().pathIds[size_t(path)]) continue;
        for (size_t i = 0; i < p.points.size(); ++i) p.points[i].x += 40 * std::sin(double(i));
    }
    EXPECT_FALSE(checkPath(grown(shot), path, 3));
}

TEST(Reconstruction, ClassifyOutliersDropsWhatDoesNotFitAndKeepsTheRest) {
    SyntheticShot shot = makeSyntheticShot({});
    // One observation of one path jumps: it goes, the path stays.
    Path& path = shot.paths[7];
    ASSERT_GE(path.points.size(), 10U);
    path.points[path.points.size() / 2].y += 6;
    Reconstruction r(laidOut(shot, 0), shot.lens);
    ASSERT_TRUE(beginFrom(r, FrameIndex(4), FrameIndex(30), 1));
    for (const FrameIndex f : r.observations().indices())
        if (!r.hasView(f)) addFrame(r, f, 1);
    addPoints(r, 0.01);
    refine(r, {}, {}, 20, 1e-6);
    classifyOutliers(r, 4.5);
    const auto index = std::find(r.observations().pathIds.begin(), r.observations().pathIds.end(), path.id) -
                       r.observations().pathIds.begin();
    ASSERT_TRUE(r.points()[size_t(index)]);
    const auto [begin, end] = r.observations().ofPath[size_t(index)];
    int unused = 0;
    for (int i = begin; i < end; ++i) unused += !r.observations().all[size_t(i)].use;
    EXPECT_EQ(unused, 1);
    EXPECT_LT(r.pathRms(int(index)), 0.3);
    EXPECT_LT(r.truncatedCost(), 0.6);
}

TEST(Reconstruction, SlidingPathsAreSetAside) {
    SyntheticShot shot = makeSyntheticShot({});
    Path& path = shot.paths[11];
    for (size_t i = 0; i < path.points.size(); ++i) path.points[i].x += 0.9 * std::sin(0.5 * double(i));
    Reconstruction r(laidOut(shot, 0), shot.lens);
    ASSERT_TRUE(beginFrom(r, FrameIndex(4), FrameIndex(30), 1));
    for (const FrameIndex f : r.observations().indices())
        if (!r.hasView(f)) addFrame(r, f, 1);
    addPoints(r, 0.01);
    refine(r, {}, {}, 20, 1e-6);
    weighPaths(r);
    setAsideSliding(r, 3.5, 0.4);
    const auto index = std::find(r.observations().pathIds.begin(), r.observations().pathIds.end(), path.id) -
                       r.observations().pathIds.begin();
    EXPECT_TRUE(r.slides(int(index)));
    EXPECT_FALSE(r.points()[size_t(index)]);
    int others = 0;
    for (int p = 0; p < r.observations().pathCount(); ++p) others += r.slides(p);
    EXPECT_LE(others, 4);
}

}  // namespace
}  // namespace va
