// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/refine_work.h"

#include <gtest/gtest.h>

#include <cmath>

#include "base/error.h"
#include "shot/shot_file.h"
#include "solve/report/solve_errors.h"
#include "solved_shot.h"
#include "synthetic_shot.h"
#include "workflow/check_points.h"
#include "workflow/match_shot.h"

namespace va {
namespace {

TEST(Refine, SaysWhenOnlyTheFitErrorFell) {
    EXPECT_EQ(
        refineSentence(12, 3, 0.5, 0.4, 0.52, 0.519),
        "Set aside 12 single observations and 3 paths. Fit 0.500 → 0.400 px, check 0.520 → 0.519 px. Only the fit "
        "error fell: the number is smaller, the camera no better.");
    EXPECT_NE(refineSentence(1, 1, 0.5, 0.4, 0.52, 0.41).find("the camera is better"), std::string::npos);
    EXPECT_NE(refineSentence(1, 1, 0.5, 0.4, 0.52, 0.6).find("Undo"), std::string::npos);
    EXPECT_NE(refineSentence(1, 1, 0.5, 0.4, -1, -1).find("no check error"), std::string::npos);
    EXPECT_NE(refineSentence(0, 0, 0.5, 0.5, 0.5, 0.5).find("Nothing stands out"), std::string::npos);
}

TEST(Refine, SetsSingleObservationsAsideAndKeepsThePath) {
    Shot shot = test::makeSolvedShot();
    // One path that is off in two frames, one that is off in half of them.
    auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
    std::vector<int> ids;
    for (const SolvedPoint& p : shot.solve->points)
        if (!p.heldBack && p.observations > 18) ids.push_back(p.pathId);
    ASSERT_GT(ids.size(), 10U);
    const auto pathOf = [&](int id) -> Path& {
        return *std::find_if(paths->begin(), paths->end(), [id](const Path& p) { return p.id == id; });
    };
    Path& few = pathOf(ids[2]);
    few.points[4].x += 1.2, few.points[9].y -= 1.4;
    Path& many = pathOf(ids[7]);
    for (size_t i = 0; i < many.points.size(); i += 2) many.points[i].x += 0.9;
    shot.paths = paths;
    Progress progress;
    const Shot refined = withRefinement(shot, {}, progress);
    const Path *a = refined.path(ids[2]), *b = refined.path(ids[7]);
    EXPECT_FALSE(a->setAside);
    EXPECT_TRUE(a->points[4].aside && a->points[9].aside);
    EXPECT_EQ(std::count_if(a->points.begin(), a->points.end(), [](const PathPoint& p) { return p.aside; }), 2);
    EXPECT_TRUE(b->setAside);
    EXPECT_NE(b->setAsideReason.find("px in"), std::string::npos);
    EXPECT_NE(refined.refineReport.find("check"), std::string::npos) << refined.refineReport;
    EXPECT_EQ(refined.solve->solvedCount(), 24);
    const Shot back = shotFromText(shotToText(refined, "/tmp"), "/tmp/x.vanchor");
    EXPECT_EQ(back.refineReport, refined.refineReport);
    EXPECT_EQ(back.solve->heldBack, refined.solve->heldBack);
}

TEST(Refine, WithoutASolveItSaysSo) {
    Progress progress;
    const Shot out = withRefinement(Shot(), {}, progress);
    EXPECT_NE(out.refineReport.find("no solve"), std::string::npos);
}

TEST(ErrorMap, ShowsAWrongLensAndNoneWhereErrorsAreNoise) {
    const Shot good = test::makeSolvedShot();
    const ErrorMap fair = errorMap(solveErrors(*good.solve, *good.paths), 1280, 720);
    EXPECT_LT(fair.overChance, 1.6);
    // The same points seen through a lens without its distortion.
    SolveResult wrong = *good.solve;
    wrong.lens.lens = LensModel();
    const ErrorMap distorted = errorMap(solveErrors(wrong, *good.paths), 1280, 720);
    EXPECT_GT(distorted.overChance, 4 * fair.overChance);
    EXPECT_GT(distorted.meanPx, 1);
    // Barrel left out: corners are solved too far outward.
    int outward = 0, filled = 0;
    for (const auto& [column, row] : {std::pair(0, 0), {11, 0}, {0, 6}, {11, 6}, {0, 1}, {11, 1}, {0, 5}, {11, 5}}) {
        const ErrorMap::Cell& corner = distorted.at(column, row);
        if (corner.paths == 0) continue;
        ++filled;
        outward += corner.mean.dot(Eigen::Vector2d(column - 5.5, row - 3.0)) > 0;
    }
    EXPECT_GE(filled, 2);
    EXPECT_EQ(outward, filled);
    EXPECT_EQ(errorMap({}, 1280, 720).meanPx, 0);
}

TEST(BadFrames, AreFoundAsSpans) {
    SolveResult r;
    for (int f = 0; f < 30; ++f) {
        SolvedFrame s;
        s.frame = 1001 + f, s.solved = true, s.observations = 50;
        s.rmsPx = (f >= 10 && f <= 12) || f == 14 || f == 25 ? 0.9 : 0.2;
        r.frames.push_back(s);
    }
    const auto bad = badFrames(r);
    ASSERT_EQ(bad.size(), 2U);
    EXPECT_EQ(bad[0], (FrameRange{1011, 1015}));
    EXPECT_EQ(bad[1], (FrameRange{1026, 1026}));
    EXPECT_TRUE(badFrames(SolveResult()).empty());
}

TEST(CheckPointFile, ReadsNamesAndPlaces) {
    const auto points =
        readCheckPoints("name x y z\n# the slip\nbollard 1.5 0 -2\nsteps;2.25;0.5;-3\n\n", "points.txt");
    ASSERT_EQ(points.size(), 2U);
    EXPECT_EQ(points[0].name, "bollard");
    EXPECT_EQ(points[0].measure.target, Eigen::Vector3d(1.5, 0, -2));
}

TEST(CheckPointFile, SaysWhichLineIsWrong) {
    const auto trouble = [](const std::string& text) -> std::string {
        try {
            (void)readCheckPoints(text, "points.txt");
        } catch (const InputError& e) {
            return e.what();
        }
        return {};
    };
    EXPECT_NE(trouble("a 1 2 3\nb 1 2\n").find("line 2"), std::string::npos);
    EXPECT_NE(trouble("a 1 2 3\nb 1 2 x\n").find("line 2"), std::string::npos);
    EXPECT_NE(trouble("a 1 2 nan\n").find("line 1"), std::string::npos);
    EXPECT_NE(trouble("a 1 2 3\na 4 5 6\n").find("twice"), std::string::npos);
    EXPECT_NE(trouble("# nothing\n").find("holds no point"), std::string::npos);
}

TEST(CheckPoints, AreMadeOfFeaturesAndReported) {
    Shot shot = test::makeSolvedShot();
    std::vector<int> ids;
    for (const SolvedPoint& p : shot.solve->points)
        if (p.pathId >= 1000 && !p.heldBack && ids.size() < 4) ids.push_back(p.pathId);
    ASSERT_EQ(ids.size(), 4U);
    EXPECT_THROW((void)withCheckPoint(shot, PointTie::Kind::distance, {ids[0]}), InputError);
    shot = withCheckPoint(shot, PointTie::Kind::distance, {ids[0], ids[1]});
    shot = withCheckPoint(shot, PointTie::Kind::flat, ids);
    shot.checkPoints[0].measure.length = 2.5;
    shot.checkPoints[1].measure.tolerance = 0.02;
    EXPECT_EQ(reportOf(shot, 1), nullptr) << "the solve is older";
    Progress progress;
    const Shot out = withSolveUpdated(shot, progress);
    ASSERT_NE(reportOf(out, 1), nullptr);
    EXPECT_LT(reportOf(out, 1)->off, 0.02);
    EXPECT_TRUE(out.ground->metric) << "a known distance gives the scale";
    const auto a = out.worldPointOfPath(ids[0]), b = out.worldPointOfPath(ids[1]);
    EXPECT_NEAR((*a - *b).norm(), 2.5, 0.02);
    EXPECT_NE(checkPointLine(out.checkPoints[0], reportOf(out, 1)).find("times its tolerance"), std::string::npos);
    const Shot back = shotFromText(shotToText(out, "/tmp"), "/tmp/x.vanchor");
    ASSERT_EQ(back.checkPoints.size(), 2U);
    EXPECT_EQ(back.checkPoints[0].measure.length, 2.5);
    EXPECT_EQ(back.checkPoints[1].measure.paths, ids);
    EXPECT_NEAR(back.solve->reports[0].off, out.solve->reports[0].off, 1e-12);
    // Switched off it asks for nothing.
    Shot off = back;
    off.checkPoints[0].on = false;
    EXPECT_EQ(usedCheckPoints(off).size(), 1U);
    EXPECT_NE(fingerprintOfSolveInput(off), fingerprintOfSolveInput(back));
}

}  // namespace
}  // namespace va
