// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/path_edits.h"

#include <gtest/gtest.h>

#include <cmath>

#include "shot/shot_file.h"
#include "solved_shot.h"
#include "synthetic_shot.h"
#include "workflow/match_shot.h"
#include "workflow/verdict.h"

namespace va {
namespace {

using Kind = PathEdit::Kind;

/// A camera on a gentle curve, all frames solved.
SolveResult curve(int frames = 40) {
    SolveResult r;
    r.motion = Motion::free;
    r.lens.focalPx = 1000;
    r.lens.principalPoint = {639.5, 359.5};
    for (int f = 0; f < frames; ++f) {
        SolvedFrame s;
        s.frame = 1001 + f;
        s.solved = true;
        s.focalPx = 1000;
        s.pose = test::lookAlong({0.1 * f, std::sin(0.1 * f), 0.01 * f * f}, 0.01 * f, 0.1 * std::sin(0.05 * f));
        r.frames.push_back(s);
    }
    return r;
}

TEST(PathEdits, FillingFollowsTheCurveAndSaysSo) {
    const SolveResult whole = curve();
    SolveResult gap = whole;
    for (int f = 12; f < 16; ++f) gap.frames[size_t(f)].solved = false;
    const SolveResult filled = withPathEdits(gap, {{Kind::fill, {1001, 1040}, 0}});
    for (int f = 12; f < 16; ++f) {
        const SolvedFrame &a = filled.frames[size_t(f)], &b = whole.frames[size_t(f)];
        EXPECT_TRUE(a.solved);
        EXPECT_EQ(a.origin, PoseOrigin::filled);
        EXPECT_LT((a.pose.position - b.pose.position).norm(), 0.01);
        EXPECT_LT(a.pose.worldFromCamera.angularDistance(b.pose.worldFromCamera), 0.003);
    }
    EXPECT_EQ(filled.frames[11].origin, PoseOrigin::solved);
    // Without the edit it is a gap again.
    const SolveResult back = withPathEdits(filled, {});
    for (int f = 12; f < 16; ++f) EXPECT_FALSE(back.frames[size_t(f)].solved);
}

TEST(PathEdits, NothingIsFilledBeyondTheEnds) {
    SolveResult r = curve();
    for (int f = 0; f < 4; ++f) r.frames[size_t(f)].solved = r.frames[size_t(39 - f)].solved = false;
    const SolveResult filled = withPathEdits(r, {{Kind::fill, {1001, 1040}, 0}});
    for (int f = 0; f < 4; ++f) {
        EXPECT_FALSE(filled.frames[size_t(f)].solved);
        EXPECT_FALSE(filled.frames[size_t(39 - f)].solved);
    }
}

TEST(PathEdits, ASingleFrameIsLeftOutAndComesBack) {
    SolveResult r = curve();
    const CameraPose right = r.frames[20].pose;
    r.frames[20].pose.position += Eigen::Vector3d(0.3, 0, 0);
    const SolveResult mended = withPathEdits(r, {{Kind::leaveOut, {1021, 1021}, 0}});
    EXPECT_LT((mended.frames[20].pose.position - right.position).norm(), 0.01);
    EXPECT_EQ(mended.frames[20].origin, PoseOrigin::filled);
    ASSERT_TRUE(mended.frames[20].before);
    const SolveResult back = withPathEdits(mended, {});
    EXPECT_EQ(back.frames[20].pose.position, r.frames[20].pose.position);
    EXPECT_FALSE(back.frames[20].before);
}

TEST(PathEdits, SmoothingTakesJitterOutAndKeepsTheCurve) {
    const SolveResult clean = curve();
    SolveResult r = clean;
    for (size_t f = 0; f < 40; ++f)
        r.frames[f].pose.position +=
            0.02 * Eigen::Vector3d(std::sin(7.0 * double(f * f)), std::cos(5.0 * double(f * f)), 0);
    const SolveResult s = withPathEdits(r, {{Kind::smooth, {1001, 1040}, 2}});
    double before = 0, after = 0;
    for (size_t f = 5; f < 35; ++f) {
        before += (r.frames[f].pose.position - clean.frames[f].pose.position).squaredNorm();
        after += (s.frames[f].pose.position - clean.frames[f].pose.position).squaredNorm();
    }
    EXPECT_LT(after, 0.4 * before);
    // A straight even move is not changed by an even window.
    SolveResult undistorted = curve();
    for (size_t f = 0; f < 40; ++f)
        undistorted.frames[f].pose = test::lookAlong({0.1 * double(f), 0, 0}, 0.01 * double(f), 0);
    const SolveResult same = withPathEdits(undistorted, {{Kind::smooth, {1001, 1040}, 3}});
    for (size_t f = 0; f < 40; ++f) {
        EXPECT_LT((same.frames[f].pose.position - undistorted.frames[f].pose.position).norm(), 1e-9) << f;
        EXPECT_LT(same.frames[f].pose.worldFromCamera.angularDistance(undistorted.frames[f].pose.worldFromCamera),
                  1e-6);
    }
}

TEST(PathEdits, CostIsInPixels) {
    const Shot shot = test::makeSolvedShot();
    const Shot edited = withCameraPathEdits(shot, {{Kind::smooth, {1005, 1015}, 3}});
    const PathEditCost cost = costOfPathEdits(*edited.solve, *edited.paths, {1005, 1015});
    EXPECT_EQ(cost.frames, 11);
    EXPECT_GT(cost.movesPx, 0);
    EXPECT_NEAR(cost.fitBeforePx, shot.solve->rmsPx, 0.1);
    EXPECT_GT(cost.fitAfterPx, cost.fitBeforePx);
    // What is drawn away from the paths cannot fit better than both together allow.
    EXPECT_LT(cost.fitAfterPx, cost.fitBeforePx + cost.movesPx + 1e-9);
    EXPECT_EQ(costOfPathEdits(*shot.solve, *shot.paths, {1005, 1015}).frames, 0);
}

TEST(PathEdits, AreKeptInTheProjectAndSaidInTheVerdict) {
    Shot shot = withCameraPathEdits(test::makeSolvedShot(),
                                    {{Kind::leaveOut, {1010, 1011}, 0}, {Kind::smooth, {1003, 1006}, 1.5}});
    const std::string said = verdictOn(shot, Step::solve).sentence;
    EXPECT_NE(said.find("filled by interpolation: 1010–1011"), std::string::npos) << said;
    EXPECT_NE(said.find("4 frames smoothed"), std::string::npos) << said;
    const Shot back = shotFromText(shotToText(shot, "/tmp"), "/tmp/x.vanchor");
    EXPECT_EQ(back.pathEdits, shot.pathEdits);
    EXPECT_EQ(back.solve->at(1010)->origin, PoseOrigin::filled);
    ASSERT_TRUE(back.solve->at(1010)->before);
    EXPECT_LT((back.solve->at(1010)->before->position - shot.solve->at(1010)->before->position).norm(), 1e-12);
    // A new solve keeps what the artist wanted of the path.
    Progress progress;
    const Shot again = withSolveUpdated(back, progress);
    EXPECT_EQ(again.solve->at(1010)->origin, PoseOrigin::filled);
    EXPECT_EQ(again.solve->at(1004)->origin, PoseOrigin::smoothed);
}

}  // namespace
}  // namespace va
