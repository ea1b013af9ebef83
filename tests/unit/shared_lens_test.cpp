// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/shared_lens.h"

#include "solve/mover.h"
#include "solve/mover_fit.h"
#include "solve/solver.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "shot/shot_file.h"
#include "synthetic_shot.h"
#include "workflow/match_shot.h"
#include "workflow/mover_work.h"
#include "workflow/stale.h"
#include "workflow/verdict.h"

namespace va {
namespace {

using test::lookAlong;
using test::makeSyntheticShot;
using test::SyntheticOptions;
using test::SyntheticShot;

/// A hand that sways a quarter of a unit before things 4 to 20 units away, and a thing that goes past and turns.
SyntheticShot swaying(uint64_t seed) {
    SyntheticOptions o;
    o.seed = seed;
    o.points = 400;
    o.moverShare = 0.3;
    o.camera = [](double t) {
        return lookAlong({0.25 * std::sin(3 * t), 0.1 * std::sin(7 * t), 0.1 * t}, 0.03 * std::sin(5 * t), 0.02 * t);
    };
    return makeSyntheticShot(o);
}

std::vector<Path> sceneOf(const SyntheticShot& made) {
    std::vector<Path> out;
    for (const Path& p : made.paths)
        if (std::find(made.moverPaths.begin(), made.moverPaths.end(), p.id) == made.moverPaths.end()) out.push_back(p);
    return out;
}

double focalSigma(const SolveResult& r) {
    for (const LensNumber& n : r.lensNumbers)
        if (n.name == "focal") return n.sigma;
    return -1;
}

class SharedLens : public ::testing::Test {
  protected:
    SolvedMover moverOf(const SyntheticShot& made, const SolveResult& camera, const std::vector<int>& ids) {
        return {pathsWithIds(made.paths, ids), solveMover(camera, made.paths, ids, made.request, progress_)};
    }
    Progress progress_;
};

TEST_F(SharedLens, AThingThatTurnsTellsTheLensOfACameraThatHardlyMoves) {
    double alone = 0, together = 0, stated = 0;
    int count = 0;
    for (const uint64_t seed : {7, 8, 9, 10, 11, 12}) {
        const SyntheticShot made = swaying(seed);
        const std::vector<Path> scene = sceneOf(made);
        const SolveResult camera = solveShot(scene, made.request, progress_);
        ASSERT_EQ(camera.motion, Motion::free);
        const SolvedMover mover = moverOf(made, camera, made.moverPaths);
        ASSERT_EQ(mover.solve.motion, Motion::free);
        const auto both = solvedTogether(camera, scene, {mover}, made.request, progress_);
        ASSERT_TRUE(both) << seed;
        EXPECT_LT(focalSigma(both->camera), 1.1 * focalSigma(camera));
        EXPECT_DOUBLE_EQ(both->movers[0].lens.focalPx, both->camera.lens.focalPx) << "one lens";
        // Both stand where they stood.
        EXPECT_LT((both->camera.frames[0].pose.position - camera.frames[0].pose.position).norm(), 1e-9);
        EXPECT_EQ(both->camera.solvedCount(), 40);
        EXPECT_EQ(both->movers[0].solvedCount(), 40);
        EXPECT_GE(both->camera.points.size() * 10, camera.points.size() * 9);
        EXPECT_LT(both->camera.rmsPx, 1.1 * camera.rmsPx);
        alone += std::pow(camera.lens.focalPx / made.lens.focalPx - 1, 2);
        together += std::pow(both->camera.lens.focalPx / made.lens.focalPx - 1, 2);
        stated += std::pow((both->camera.lens.focalPx - made.lens.focalPx) / focalSigma(both->camera), 2);
        ++count;
    }
    std::printf("focal alone %.3f %%, together %.3f %%, over stated %.2f\n", 100 * std::sqrt(alone / count),
                100 * std::sqrt(together / count), std::sqrt(stated / count));
    EXPECT_LT(std::sqrt(together), 0.7 * std::sqrt(alone));
    EXPECT_LT(std::sqrt(stated / count), 2);
}

TEST_F(SharedLens, ALensThatTheSceneTellsIsLeftAlone) {
    SyntheticOptions o;
    o.points = 500;
    o.moverShare = 0.1;
    const SyntheticShot made = makeSyntheticShot(o);
    const std::vector<Path> scene = sceneOf(made);
    const SolveResult camera = solveShot(scene, made.request, progress_);
    const SolvedMover mover = moverOf(made, camera, made.moverPaths);
    ASSERT_EQ(mover.solve.motion, Motion::free);
    EXPECT_FALSE(solvedTogether(camera, scene, {mover}, made.request, progress_));
    EXPECT_FALSE(solvedTogether(camera, scene, {}, made.request, progress_)) << "nothing to share with";
}

TEST_F(SharedLens, NothingIsDoneWhereThereIsNothingToFind) {
    const SyntheticShot made = swaying(7);
    const std::vector<Path> scene = sceneOf(made);
    const SolveResult camera = solveShot(scene, made.request, progress_);
    const SolvedMover mover = moverOf(made, camera, made.moverPaths);
    SolveRequest given = made.request;
    given.focal = Known::known;
    given.focalPx = made.lens.focalPx;
    EXPECT_FALSE(solvedTogether(camera, scene, {mover}, given, progress_)) << "the lens is known";
    SolveRequest held = made.request;
    held.measures.emplace_back();
    EXPECT_FALSE(solvedTogether(camera, scene, {mover}, held, progress_)) << "check points hold the scene";
    SolveResult pan = camera;
    pan.motion = Motion::nodalPan;
    EXPECT_FALSE(solvedTogether(pan, scene, {mover}, made.request, progress_));
    SolvedMover none = mover;
    none.solve = SolveResult();
    EXPECT_FALSE(solvedTogether(camera, scene, {none}, made.request, progress_)) << "it has no solve";
    EXPECT_FALSE(solvedTogether(camera, {}, {mover}, made.request, progress_)) << "the scene's paths are gone";
}

TEST_F(SharedLens, TwoThingsBeforeAStandingCamera) {
    double alone = 0, together = 0;
    for (const uint64_t seed : {3, 4, 5, 6, 7, 8}) {
        SyntheticOptions o;
        o.seed = seed;
        o.points = 500;
        o.moverShare = 0.5;
        o.camera = [](double) { return lookAlong({0, 0, 0}, 0, 0); };
        const SyntheticShot made = makeSyntheticShot(o);
        SolveResult camera = solveShot(sceneOf(made), made.request, progress_);
        ASSERT_EQ(camera.motion, Motion::lockedOff);
        // Two halves of it that know nothing of each other.
        std::vector<int> halves[2];
        for (const int id : made.moverPaths) halves[id % 2].push_back(id);
        std::vector<SolvedMover> movers{moverOf(made, camera, halves[0]), moverOf(made, camera, halves[1])};
        const auto both = solvedTogether(camera, sceneOf(made), movers, made.request, progress_);
        ASSERT_TRUE(both) << seed;
        EXPECT_EQ(both->camera.motion, Motion::lockedOff);
        EXPECT_DOUBLE_EQ(both->movers[0].lens.focalPx, both->movers[1].lens.focalPx);
        for (int k = 0; k < 2; ++k) {
            alone += std::pow(std::log(movers[size_t(k)].solve.lens.focalPx / made.lens.focalPx), 2) / 2;
        }
        together += std::pow(std::log(both->movers[0].lens.focalPx / made.lens.focalPx), 2);
    }
    std::printf("focal of each %.2f %%, together %.2f %%\n", 100 * std::sqrt(alone / 6), 100 * std::sqrt(together / 6));
    EXPECT_LT(together, 0.8 * alone);
}

TEST_F(SharedLens, ReachesTheShot) {
    const SyntheticShot made = swaying(7);
    Shot s;
    s.plateSpec = "none.mov";
    s.plate.width = 1280, s.plate.height = 720;
    s.plate.rate = {25, 1};
    s.plate.frames = s.range = {1001, 1040};
    s.paths = std::make_shared<std::vector<Path>>(made.paths);
    s = withMover(s, made.moverPaths, "cart");
    const Shot alone = [&] {
        Shot out = s;
        out.solve = std::make_shared<SolveResult>(solveShot(sceneOf(made), solveRequestFor(s), progress_));
        out.solveFrom = fingerprintOfSolveInput(out);
        return withMoversSolved(withGround(out, {}), progress_);
    }();
    const Shot both = withSharedLens(alone, progress_);
    EXPECT_NE(both.solve->lens.focalPx, alone.solve->lens.focalPx);
    EXPECT_FALSE(stalenessOf(both).solve);
    EXPECT_NE(verdictOn(both, Step::solve).sentence.find("from scene and movers together"), std::string::npos);
    EXPECT_EQ(verdictOn(alone, Step::solve).sentence.find("together"), std::string::npos);
    EXPECT_TRUE(shotFromText(shotToText(both, "."), "test.vanchor").solve->lensWithMovers);
    // The camera solved anew by itself is what it was: nothing adds up from one time to the next.
    const Shot again = withSolveUpdated(both, progress_);
    EXPECT_NEAR(again.solve->lens.focalPx, both.solve->lens.focalPx, 0.3 * focalSigma(*both.solve));
    EXPECT_EQ(both.movers[0].solveFrom, fingerprintOfMoverInput(both, both.movers[0])) << "nothing to be solved anew";
    EXPECT_EQ(both.groundBasis->solve, both.solve);
    EXPECT_DOUBLE_EQ(withSolve(s, progress_).solve->lens.focalPx, both.solve->lens.focalPx)
        << "a solve does it by itself";
    // What is stale, or came from elsewhere, waits.
    Shot stale = alone;
    stale.movers[0].solveFrom = 1;
    EXPECT_EQ(withSharedLens(stale, progress_).solve, alone.solve);
    Shot imported = alone;
    imported.cameraFrom = "camera.usda";
    EXPECT_EQ(withSharedLens(imported, progress_).solve, alone.solve);
}

}  // namespace
}  // namespace va
