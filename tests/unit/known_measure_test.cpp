// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/constraints/known_measure.h"

#include <gtest/gtest.h>

#include <cmath>

#include "solve/solver.h"
#include "synthetic_shot.h"

namespace va {
namespace {

using test::makeSyntheticShot;
using test::SyntheticOptions;
using test::SyntheticShot;
using Kind = PointTie::Kind;

/// Paths with a point in the solve, farthest apart from each other in the true world.
std::vector<int> spreadPaths(const SyntheticShot& s, const SolveResult& r, size_t count) {
    std::vector<int> out;
    while (out.size() < count) {
        int best = 0;
        double most = -1;
        for (const SolvedPoint& p : r.points) {
            if (p.heldBack || p.observations < 25) continue;
            const Eigen::Vector3d& x = s.points[size_t(p.pathId) - 1];
            double near = 1e9;
            for (const int id : out) near = std::min(near, (s.points[size_t(id) - 1] - x).norm());
            if (near > most) most = near, best = p.pathId;
        }
        out.push_back(best);
    }
    return out;
}

class Measures : public ::testing::Test {
  protected:
    static void SetUpTestSuite() {
        shot_ = new SyntheticShot(makeSyntheticShot({}));
        Progress progress;
        free_ = new SolveResult(solveShot(shot_->paths, shot_->request, progress));
        chosen_ = spreadPaths(*shot_, *free_, 8);
    }
    static void TearDownTestSuite() { delete shot_, delete free_; }
    static KnownMeasure position(int id, double tolerance) {
        KnownMeasure m;
        m.kind = Kind::position;
        m.paths = {id};
        m.target = shot_->points[size_t(id) - 1];
        m.tolerance = tolerance;
        return m;
    }
    static KnownMeasure distance(int a, int b, double tolerance) {
        KnownMeasure m;
        m.paths = {a, b};
        m.length = (shot_->points[size_t(a) - 1] - shot_->points[size_t(b) - 1]).norm();
        m.tolerance = tolerance;
        return m;
    }
    static SolveResult solveWith(const std::vector<KnownMeasure>& measures) {
        SolveRequest request = shot_->request;
        request.measures = measures;
        Progress progress;
        return solveShot(shot_->paths, request, progress);
    }
    static double worstCamera(const SolveResult& r) {
        double worst = 0;
        for (size_t f = 0; f < r.frames.size(); ++f)
            worst = std::max(
                worst, (r.measured.fromSolve.point(r.frames[f].pose.position) - shot_->cameras[f].position).norm());
        return worst;
    }

    static SyntheticShot* shot_;
    static SolveResult* free_;
    static std::vector<int> chosen_;
};
SyntheticShot* Measures::shot_ = nullptr;
SolveResult* Measures::free_ = nullptr;
std::vector<int> Measures::chosen_;

TEST_F(Measures, KnownPositionsGiveTheWorldAndImproveTheCamera) {
    std::vector<KnownMeasure> m;
    for (const int id : chosen_) m.push_back(position(id, 0.005));
    const SolveResult r = solveWith(m);
    ASSERT_TRUE(r.measured.placed && r.measured.scaled);
    ASSERT_EQ(r.reports.size(), m.size());
    for (const MeasureReport& report : r.reports) {
        EXPECT_TRUE(report.used);
        EXPECT_LT(report.inTolerances, 4);
    }
    // Without them the cameras are only known up to what the paths tell, whatever world is laid over them.
    SolveResult blind = *free_;
    blind.measured = measuredWorld(m, [&](int id) -> std::optional<Eigen::Vector3d> {
        for (const SolvedPoint& p : blind.points)
            if (p.pathId == id) return p.position;
        return std::nullopt;
    });
    EXPECT_LT(worstCamera(r), 0.02);
    EXPECT_LT(worstCamera(r), worstCamera(blind));
    EXPECT_NEAR(r.lens.focalPx / 1100, 1, 0.002);
    EXPECT_LT(r.rmsPx, 1.05 * r.freeRmsPx) << "true measures do not fight the paths";
}

TEST_F(Measures, HardDistancesAreMetExactlyAndGiveTheScale) {
    const std::vector<KnownMeasure> m{distance(chosen_[0], chosen_[1], 0), distance(chosen_[2], chosen_[3], 0)};
    const SolveResult r = solveWith(m);
    ASSERT_TRUE(r.measured.scaled);
    EXPECT_FALSE(r.measured.placed);
    for (const MeasureReport& report : r.reports) EXPECT_LT(report.off, 2e-3);
    const double length = (r.frames.front().pose.position - r.frames.back().pose.position).norm(),
                 truth = (shot_->cameras.front().position - shot_->cameras.back().position).norm();
    EXPECT_NEAR(r.measured.fromSolve.scale * length / truth, 1, 0.01);
}

TEST_F(Measures, SoftDistanceIsAnOpinionAmongOthers) {
    // One of three is a tenth too long, and allowed to be: the others and the paths decide.
    std::vector<KnownMeasure> m{distance(chosen_[0], chosen_[1], 0.01), distance(chosen_[2], chosen_[3], 0.01),
                                distance(chosen_[4], chosen_[5], 0)};
    m[2].length *= 1.1;
    m[2].tolerance = 0.1 * m[2].length;
    const SolveResult r = solveWith(m);
    EXPECT_LT(r.reports[0].inTolerances, 3);
    EXPECT_LT(r.reports[1].inTolerances, 3);
    EXPECT_NEAR(r.reports[2].inTolerances, 1, 0.4);
    EXPECT_LT(r.rmsPx, 1.1 * r.freeRmsPx);
}

TEST_F(Measures, ContradictingOnesAreUsedAsFarAsTheyGoAndReported) {
    std::vector<KnownMeasure> m{distance(chosen_[0], chosen_[1], 0.005), distance(chosen_[2], chosen_[3], 0.005),
                                distance(chosen_[0], chosen_[1], 0.005)};
    m[2].length *= 1.5;
    const SolveResult r = solveWith(m);
    ASSERT_EQ(r.motion, Motion::free);
    double worst = 0;
    for (const MeasureReport& report : r.reports) worst = std::max(worst, report.inTolerances);
    EXPECT_GT(worst, 10);
    for (const SolvedFrame& f : r.frames) EXPECT_TRUE(f.pose.position.allFinite());
}

TEST_F(Measures, FlatGroupAndRightAngleHold) {
    KnownMeasure flat;
    flat.kind = Kind::flat;
    flat.paths = {chosen_[0], chosen_[1], chosen_[2], chosen_[3]};
    flat.tolerance = 0.01;
    KnownMeasure angle;
    angle.kind = Kind::rightAngle;
    angle.paths = {chosen_[4], chosen_[5], chosen_[6]};
    angle.tolerance = 90;  // hardly an opinion: these points are at random
    const SolveResult r = solveWith({flat, angle, distance(chosen_[0], chosen_[1], 0.01)});
    EXPECT_TRUE(r.reports[0].used && r.reports[1].used);
    EXPECT_GT(r.reports[0].off, 0.05) << "points at random are not flat, and the paths say so";
    EXPECT_GT(r.reports[1].off, 0);
    EXPECT_LE(r.reports[1].off, 90);
}

TEST_F(Measures, WhatCannotBeUsedSaysWhy) {
    KnownMeasure gone = distance(chosen_[0], chosen_[1], 0.01);
    gone.paths[1] = 999999;
    KnownMeasure lonely = position(chosen_[0], 0.01);
    KnownMeasure unassigned = lonely;
    unassigned.paths.clear();
    KnownMeasure same = distance(chosen_[0], chosen_[0], 0.01);
    same.length = 1;
    const SolveResult r = solveWith({gone, lonely, unassigned, same});
    ASSERT_EQ(r.reports.size(), 4U);
    EXPECT_EQ(r.reports[0].why, "One of its features has no point in this solve.");
    EXPECT_NE(r.reports[1].why.find("three known positions"), std::string::npos);
    EXPECT_EQ(r.reports[2].why, "No feature is assigned to it yet.");
    EXPECT_EQ(r.reports[3].why, "Its points coincide in this solve.");
    EXPECT_NEAR(r.rmsPx, free_->rmsPx, 0.02);
}

// Horn, "Closed-form solution of absolute orientation using unit quaternions", 1987, solves the same problem as the
// method used: three points determine the similarity exactly.
TEST_F(Measures, SimilarityFromThreePointsIsExact) {
    Similarity truth;
    truth.scale = 2.5;
    truth.rotation = Eigen::Quaterniond(Eigen::AngleAxisd(1.1, Eigen::Vector3d(1, 2, -1).normalized()));
    truth.translation = {3, -4, 5};
    const std::vector<Eigen::Vector3d> here{{0, 0, 0}, {1, 0, 0}, {0.2, 2, 0.5}};
    std::vector<KnownMeasure> m(3);
    for (int i = 0; i < 3; ++i)
        m[size_t(i)].kind = Kind::position, m[size_t(i)].paths = {i},
        m[size_t(i)].target = truth.point(here[size_t(i)]);
    const MeasuredWorld w = measuredWorld(m, [&](int id) { return std::optional(here[size_t(id)]); });
    ASSERT_TRUE(w.placed);
    for (const auto& p : here) EXPECT_LT((w.fromSolve.point(p) - truth.point(p)).norm(), 1e-12);
    // On one line the turn about it is free.
    m[2].target = truth.point(0.5 * (here[0] + here[1]));
    const MeasuredWorld line = measuredWorld(m, [&](int id) {
        return std::optional(id == 2 ? Eigen::Vector3d(0.5 * (here[0] + here[1])) : here[size_t(id)]);
    });
    EXPECT_FALSE(line.placed);
    EXPECT_NEAR(line.fromSolve.scale, 2.5, 1e-12);
}

}  // namespace
}  // namespace va
