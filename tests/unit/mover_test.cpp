// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/mover.h"

#include "solve/mover_fit.h"
#include "solve/mover_search.h"
#include "solve/solver.h"

#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <cmath>
#include <map>
#include <set>

#include "base/error.h"
#include "shot/shot_file.h"
#include "synthetic_shot.h"
#include "workflow/gather_scene.h"
#include "workflow/match_shot.h"
#include "workflow/mover_work.h"
#include "workflow/stale.h"
#include "workflow/verdict.h"

namespace va {
namespace {

using test::makeSyntheticShot;
using test::SyntheticOptions;
using test::SyntheticShot;

class MoverOnShot : public ::testing::Test {
  protected:
    static SyntheticShot make() {
        SyntheticOptions o;
        o.points = 500;
        o.moverShare = 0.2;
        o.noisePx = 0.08;
        return makeSyntheticShot(o);
    }
    static void SetUpTestSuite() {
        made_ = new SyntheticShot(make());
        Progress progress;
        camera_ = new SolveResult(solveShot(made_->paths, made_->request, progress));
    }
    static void TearDownTestSuite() {
        delete made_;
        delete camera_;
    }
    static Shot shot() {
        Shot s;
        s.plateSpec = "none.mov";
        s.plate.width = 1280, s.plate.height = 720;
        s.plate.rate = {25, 1};
        s.plate.frames = s.range = {1001, 1040};
        s.paths = std::make_shared<std::vector<Path>>(made_->paths);
        s.solve = std::make_shared<SolveResult>(*camera_);
        s.solveFrom = fingerprintOfSolveInput(s);
        return withGround(s, {});
    }
    static SyntheticShot* made_;
    static SolveResult* camera_;
    Progress progress_;
};
SyntheticShot* MoverOnShot::made_ = nullptr;
SolveResult* MoverOnShot::camera_ = nullptr;

TEST(HeldFrames, AreThoseThatFiveFeaturesHold) {
    SolveResult mover;
    mover.motion = Motion::free;
    for (const int observations : {12, 5, 4, 0, 3}) {
        SolvedFrame& f = mover.frames.emplace_back();
        f.frame = 1001 + int(mover.frames.size());
        f.solved = true, f.observations = observations, f.focalPx = 900;
    }
    mover.frames.back().origin = PoseOrigin::turned;  // by other means than its points
    const SolveResult held = withHeldFrames(mover);
    std::vector<bool> solved;
    for (const SolvedFrame& f : held.frames) solved.push_back(f.solved);
    EXPECT_EQ(solved, (std::vector<bool>{true, true, false, false, true}));
    EXPECT_EQ(held.frames[3].frame, mover.frames[3].frame) << "it stays, without a pose";
    EXPECT_TRUE(withHeldFrames(SolveResult()).frames.empty());
}

TEST_F(MoverOnShot, ComesBackWithItsMotion) {
    ASSERT_EQ(camera_->motion, Motion::free);
    const SolveResult m = solveMover(*camera_, made_->paths, made_->moverPaths, made_->request, progress_);
    ASSERT_EQ(m.motion, Motion::free);
    EXPECT_EQ(m.solvedCount(), 40);
    EXPECT_LT(m.rmsPx, 0.2);
    EXPECT_EQ(moverDoubt(m, int(made_->moverPaths.size())), "");
    // Turns against the camera, after its own axes: from the first frame on.
    const auto relative = [&](size_t f) {
        const CameraPose& c = made_->cameras[f];
        return (c.worldFromCamera.conjugate() * made_->mover[f].worldFromCamera).normalized();
    };
    const auto ours = [&](size_t f) {
        return (camera_->frames[f].pose.worldFromCamera.conjugate() *
                moverPose(*camera_, m, 1001 + int(f), 1)->worldFromCamera)
            .normalized();
    };
    const Eigen::Quaterniond axes = relative(0).conjugate() * ours(0);
    for (const size_t f : {10UL, 25UL, 39UL}) EXPECT_LT((relative(f) * axes).angularDistance(ours(f)), 0.004) << f;
    EXPECT_FALSE(moverPose(*camera_, m, 900, 1)) << "no such frame";
}

TEST_F(MoverOnShot, IsFoundAmongWhatTheCameraSolveRejected) {
    const auto found = proposeMovers(*camera_, made_->paths, {}, made_->request, progress_);
    ASSERT_EQ(found.size(), 1U);
    int right = 0;
    for (const int id : found[0].ids)
        right += std::find(made_->moverPaths.begin(), made_->moverPaths.end(), id) != made_->moverPaths.end();
    EXPECT_EQ(right, int(found[0].ids.size()));
    EXPECT_GT(right * 10, int(made_->moverPaths.size()) * 8) << right << " of " << made_->moverPaths.size();
    // What is taken is not proposed again.
    for (const auto& again : proposeMovers(*camera_, made_->paths, found[0].ids, made_->request, progress_))
        for (const int id : again.ids) EXPECT_EQ(std::count(found[0].ids.begin(), found[0].ids.end(), id), 0) << id;
}

// A path of six frames on the ground beside a mover fits that as well, at some depth: it must not be taken for it.
TEST_F(MoverOnShot, ShortPathsOfTheSceneAreNotItsOwn) {
    const std::set<int> own(made_->moverPaths.begin(), made_->moverPaths.end());
    std::vector<Path> scene, mover;
    for (const Path& p : made_->paths) {
        Path piece = p;
        const bool moves = own.contains(p.id);
        if (piece.points.size() < 20) continue;
        if (!moves) piece.points.resize(6);
        (moves ? mover : scene).push_back(std::move(piece));
    }
    ASSERT_GT(scene.size(), 100U);
    ASSERT_GT(mover.size(), 20U);
    EXPECT_GE(standingStill(*camera_, scene, 0.6).size() * 20, scene.size() * 19);
    EXPECT_LE(standingStill(*camera_, mover, 0.6).size() * 20, mover.size());
}

// Paths that slide or are noisy lie scattered among good ones; those of a thing lie among their like.
TEST_F(MoverOnShot, ThatNobodyAskedForIsSeen) {
    // The synthetic scene is a cloud before and behind the mover: what is between them is left out, as of a real thing.
    const std::set<int> own(made_->moverPaths.begin(), made_->moverPaths.end());
    std::map<int, Eigen::AlignedBox2d> box;
    for (const Path& p : made_->paths)
        for (const PathPoint& q : p.points)
            if (own.contains(p.id)) box[q.frame].extend(Eigen::Vector2d(q.x, q.y));
    std::vector<Path> opaque;
    for (const Path& p : made_->paths) {
        const PathPoint& q = p.points[p.points.size() / 2];
        if (own.contains(p.id) || !box[q.frame].contains(Eigen::Vector2d(q.x, q.y))) opaque.push_back(p);
    }
    const SolveResult camera = solveShot(opaque, made_->request, progress_);
    const std::vector<int> seen = pathsMovingTogether(camera, opaque, {}, made_->request);
    ASSERT_GE(seen.size(), 16U);
    int right = 0;
    for (const int id : seen) right += own.contains(id);
    EXPECT_GE(right * 10, int(seen.size()) * 9);
    EXPECT_TRUE(pathsMovingTogether(camera, opaque, seen, made_->request).size() < seen.size()) << "taken ones";
    // Without anything that moves nothing is.
    std::vector<Path> still;
    for (const Path& p : opaque)
        if (!own.contains(p.id)) still.push_back(p);
    EXPECT_TRUE(pathsMovingTogether(solveShot(still, made_->request, progress_), still, {}, made_->request).empty());
    Shot s = shot();
    SolveResult with = *camera_;
    with.movingTogether = seen;
    s.solve = std::make_shared<SolveResult>(with);
    EXPECT_NE(verdictOn(s, Step::solve).sentence.find("look for movers"), std::string::npos)
        << verdictOn(s, Step::solve).sentence;
    EXPECT_EQ(shotFromText(shotToText(s, "."), "test.vanchor").solve->movingTogether, seen);
}

TEST_F(MoverOnShot, BecomesTheSceneAndTheSceneAMover) {
    const Shot s = withMoversSolved(withMover(shot(), made_->moverPaths, "cart"), progress_);
    const std::vector<MotionShare> shares = motionShares(s);
    ASSERT_EQ(shares.size(), 2U);
    EXPECT_GT(shares[0].covered, shares[1].covered);
    EXPECT_GT(shares[1].covered, 0.02);
    EXPECT_LE(shares[0].covered + shares[1].covered, 1 + 1e-9);
    double turned = 0;
    for (const CameraPose& a : made_->mover)
        for (const CameraPose& b : made_->mover)
            turned = std::max(turned, a.worldFromCamera.angularDistance(b.worldFromCamera) * 180 / M_PI);
    EXPECT_NEAR(shares[1].turnedDegrees, turned, 0.1 * turned + 0.5);

    const Shot swapped = withSceneSwapped(s, s.movers[0].id);
    EXPECT_EQ(swapped.solve, s.movers[0].solve) << "at once: nothing is solved for it";
    EXPECT_FALSE(stalenessOf(swapped).solve);
    EXPECT_TRUE(swapped.choices.thing) << "it covers less";
    ASSERT_EQ(swapped.movers.size(), 1U);
    for (const int id : made_->moverPaths) EXPECT_FALSE(swapped.moverOfPath(id));
    const Shot solved = withMoversSolved(swapped, progress_);
    EXPECT_EQ(solved.movers[0].solve->motion, Motion::free);
    EXPECT_EQ(solved.movers[0].solve->solvedCount(), 40);
    EXPECT_TRUE(shotFromText(shotToText(solved, "."), "test.vanchor").choices.thing);
    // Back again: the camera before the scene as it was, but for its own size and axes.
    const Shot back = withSceneSwapped(solved, solved.movers[0].id);
    EXPECT_FALSE(back.choices.thing);
    const auto turn = [](const SolveResult& r) {
        return (r.frames.front().pose.worldFromCamera.conjugate() * r.frames.back().pose.worldFromCamera).normalized();
    };
    EXPECT_LT(turn(*back.solve).angularDistance(turn(*s.solve)), 0.002);
    EXPECT_THROW((void)withSceneSwapped(s, 99), InputError);
    // One that has no solve: the camera is to be solved anew.
    Shot unsolved = s;
    unsolved.movers[0].solve = std::make_shared<SolveResult>();
    EXPECT_TRUE(stalenessOf(withSceneSwapped(unsolved, unsolved.movers[0].id)).solve);
}

TEST_F(MoverOnShot, AStandingCameraTakesTheLensOfWhatMoves) {
    Shot s = withMover(shot(), made_->moverPaths);
    SolveResult standing = *camera_;
    standing.motion = Motion::lockedOff;
    standing.trouble = SolveTrouble::noParallax;
    standing.points.clear(), standing.lensNumbers.clear();
    s.solve = std::make_shared<SolveResult>(standing);
    SolveResult told = *camera_;
    told.lens.focalPx = 1234;
    told.lensNumbers = {{"focal", 1234, 12}};
    s.movers[0].solve = std::make_shared<SolveResult>(told);
    s.movers[0].solveFrom = 1;
    const Shot with = withLensOfMovers(s);
    EXPECT_EQ(with.solve->lens.focalPx, 1234);
    EXPECT_EQ(with.solve->frames.front().focalPx, 1234);
    EXPECT_NE(verdictOn(with, Step::solve).sentence.find("told by what moves"), std::string::npos);
    EXPECT_EQ(with.movers[0].solveFrom, fingerprintOfMoverInput(with, with.movers[0])) << "nothing to be solved anew";
    // One that is not told within a tenth is none, and a given one stays.
    Shot unsure = s;
    told.lensNumbers[0].sigma = 300;
    unsure.movers[0].solve = std::make_shared<SolveResult>(told);
    EXPECT_NE(withLensOfMovers(unsure).solve->lens.focalPx, 1234);
    EXPECT_NE(verdictOn(unsure, Step::solve).sentence.find("guess"), std::string::npos);
    Shot given = s;
    given.priors.focal = Known::known;
    EXPECT_NE(withLensOfMovers(given).solve->lens.focalPx, 1234);
}

// Before a standing camera the thing may be solved as the scene first: that solve is gone on from.
TEST(MoverBeforeAStandingCamera, GoesOnFromWhatWasTakenForTheScene) {
    SyntheticOptions o;
    o.points = 400;
    o.moverShare = 0.68;
    o.camera = [](double) { return test::lookAlong({0, 0, 0}, 0, 0); };
    const SyntheticShot made = makeSyntheticShot(o);
    Progress progress;
    const SolveResult camera = solveShot(made.paths, made.request, progress);
    ASSERT_EQ(camera.motion, Motion::lockedOff);
    ASSERT_TRUE(camera.takenForScene);
    ASSERT_EQ(camera.takenForScene->motion, Motion::free);
    SolveResult forgetful = camera;
    forgetful.takenForScene.reset();
    for (const SolveResult& by : {camera, forgetful}) {
        const auto found = proposeMovers(by, made.paths, {}, made.request, progress);
        ASSERT_EQ(found.size(), 1U);
        int right = 0;
        for (const int id : found[0].ids)
            right += std::find(made.moverPaths.begin(), made.moverPaths.end(), id) != made.moverPaths.end();
        EXPECT_EQ(right, int(found[0].ids.size()));
        EXPECT_GT(right * 10, int(made.moverPaths.size()) * 8);
        EXPECT_EQ(found[0].solve.solvedCount(), 40);
        EXPECT_NEAR(found[0].solve.lens.focalPx, made.lens.focalPx, 0.01 * made.lens.focalPx);
    }
    // One that does not fit is let go, and the thing found from nothing.
    SolveResult misled = camera;
    SolveResult wrong = *camera.takenForScene;
    for (SolvedFrame& f : wrong.frames) f.pose = test::lookAlong({f.frame % 7 - 3.0, f.frame % 3 - 1.0, 0}, 0, 0);
    misled.takenForScene = std::make_shared<SolveResult>(std::move(wrong));
    const auto found = proposeMovers(misled, made.paths, {}, made.request, progress);
    ASSERT_EQ(found.size(), 1U);
    EXPECT_NEAR(found[0].solve.lens.focalPx, made.lens.focalPx, 0.01 * made.lens.focalPx);
}

TEST_F(MoverOnShot, TroubleIsSaidInWords) {
    const std::vector<int> few(made_->moverPaths.begin(), made_->moverPaths.begin() + 4);
    SolveResult m = solveMover(*camera_, made_->paths, few, made_->request, progress_);
    EXPECT_NE(m.motion, Motion::free);
    EXPECT_NE(moverDoubt(m, 4).find("4 features"), std::string::npos) << moverDoubt(m, 4);
    m = solveMover(*camera_, made_->paths, {}, made_->request, progress_);
    EXPECT_FALSE(moverDoubt(m, 0).empty());
    // A flat thing: all its points in a plane.
    SolveResult flat = solveMover(*camera_, made_->paths, made_->moverPaths, made_->request, progress_);
    for (SolvedPoint& p : flat.points) p.position.z() = 0;
    EXPECT_NE(moverDoubt(flat, 50).find("one plane"), std::string::npos);
}

TEST_F(MoverOnShot, LivesInTheShotAndItsFile) {
    Shot s = withMover(shot(), made_->moverPaths, "cart");
    ASSERT_EQ(s.movers.size(), 1U);
    EXPECT_THROW((void)withMover(s, made_->moverPaths), InputError) << "a path belongs to one mover";
    EXPECT_NE(fingerprintOfSolveInput(s), fingerprintOfSolveInput(shot())) << "the camera's solve is without them now";
    s = withMoversSolved(s, progress_);
    const auto solved = s.movers[0].solve;
    EXPECT_EQ(solved->solvedCount(), 40);
    EXPECT_EQ(withMoversSolved(s, progress_).movers[0].solve, solved) << "nothing changed: nothing is done";
    bool sure = true;
    (void)moverScale(s, s.movers[0], &sure);
    EXPECT_NE(moverVerdict(s, s.movers[0]).find("cart: 40 of 40"), std::string::npos);
    s.movers[0].scaleBy = MoverScale::given;
    s.movers[0].size = 2.5;
    EXPECT_DOUBLE_EQ(moverScale(s, s.movers[0], &sure), 2.5);
    EXPECT_TRUE(sure);
    // Between two of its points, in metres.
    s.movers[0].scaleBy = MoverScale::distance;
    s.movers[0].from = solved->points[0].pathId, s.movers[0].to = solved->points[5].pathId;
    s.movers[0].metres = 3;
    const auto points = moverPoints(s, s.movers[0]);
    EXPECT_NEAR((points[0].second - points[5].second).norm(), 3, 1e-9);
    const Shot back = shotFromText(shotToText(s, "."), "test.vanchor");
    ASSERT_EQ(back.movers.size(), 1U);
    EXPECT_EQ(back.movers[0].name, "cart");
    EXPECT_EQ(back.movers[0].paths, s.movers[0].paths);
    EXPECT_EQ(back.movers[0].solve->points.size(), solved->points.size());
    EXPECT_NEAR(
        (moverWorldPose(back, back.movers[0], 1020)->position - moverWorldPose(s, s.movers[0], 1020)->position).norm(),
        0, 1e-9);
    const SceneExport scene = gatherScene(s);
    ASSERT_EQ(scene.movers.size(), 1U);
    EXPECT_EQ(scene.movers[0].poses.size(), 40U);
}

TEST(MoverScale, StandsOnTheGround) {
    // A camera two units up looks at a thing that goes along; its lowest points touch the ground at scale 0.5.
    SolveResult camera, mover;
    camera.motion = mover.motion = Motion::free;
    for (int f = 0; f < 5; ++f) {
        SolvedFrame c;
        c.frame = 1001 + f, c.solved = true, c.focalPx = 1000;
        c.pose.position = {0.1 * f, 2, 0};
        camera.frames.push_back(c);
        SolvedFrame m = c;
        m.pose.position = {0, 4, 8};  // the camera, in the mover's space
        mover.frames.push_back(m);
    }
    for (int i = 0; i < 30; ++i) {
        SolvedPoint p;
        p.pathId = i;
        p.position = {0.1 * i, 0.2 * (i % 5), 0.05 * (i % 7)};
        mover.points.push_back(p);
    }
    const auto scale = scaleOnGround(camera, mover, Eigen::Vector3d::UnitY(), 0);
    ASSERT_TRUE(scale);
    EXPECT_NEAR(*scale, 0.5, 1e-9);
    EXPECT_FALSE(scaleOnGround(camera, mover, -Eigen::Vector3d::UnitY(), 0)) << "nothing lies below";
}

}  // namespace
}  // namespace va
