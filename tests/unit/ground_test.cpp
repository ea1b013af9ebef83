// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>
#include <map>

#include "base/error.h"
#include "ground/ground.h"
#include "ground/transform_text.h"
#include "shot/ground_json.h"
#include "workflow/ground_work.h"

namespace va {
namespace {

/// A tilted world: floor points on a grid, a wall, cameras above; all turned by a known rotation.
class TiltedWorld : public ::testing::Test {
  protected:
    void SetUp() override {
        int id = 1;
        for (int x = -4; x <= 4; ++x)
            for (int z = 2; z <= 8; ++z) floor_.push_back(id), add(id++, {x * 1.0, 0, -z * 1.0});
        for (int x = -4; x <= 4; ++x)
            for (int y = 1; y <= 4; ++y) add(id++, {x * 1.0, y * 0.7, -9});
        for (int f = 0; f < 20; ++f) {
            SolvedFrame frame;
            frame.frame = 1001 + f;
            frame.solved = true;
            frame.pose.position = rotation_ * Eigen::Vector3d(-1 + 0.1 * f, 1.6, 2);
            frame.pose.worldFromCamera =
                rotation_ * Eigen::Quaterniond(Eigen::AngleAxisd(-0.15, Eigen::Vector3d::UnitX()));
            solve_.frames.push_back(frame);
        }
        solve_.motion = Motion::free;
    }
    void add(int id, const Eigen::Vector3d& p) {
        SolvedPoint s;
        s.pathId = id;
        s.position = rotation_ * (p * 0.5);
        solve_.points.push_back(s);
        trueById_[id] = p;
    }
    GroundFit build(const GroundSpec& spec) const {
        return buildGround(*makeGroundBasis(std::make_shared<SolveResult>(solve_)), spec);
    }
    GroundSpec onFloor() const {
        GroundSpec spec;
        spec.level.push_back({LevelKind::floor, {floor_[0], floor_[20], floor_[60]}, {}});
        return spec;
    }
    double heightOf(const GroundFit& fit, int id) const {
        for (const auto& p : solve_.points)
            if (p.pathId == id) return fit.worldFromSolve.point(p.position).y();
        return 1e9;
    }
    Eigen::Quaterniond rotation_{Eigen::AngleAxisd(0.35, Eigen::Vector3d(1, 0.4, 0.8).normalized())};
    SolveResult solve_;
    std::vector<int> floor_;
    std::map<int, Eigen::Vector3d> trueById_;
};

TEST_F(TiltedWorld, ThreePointsMakeTheGround) {
    GroundSpec spec = onFloor();
    const GroundFit fit = build(spec);
    ASSERT_TRUE(fit.level);
    EXPECT_TRUE(fit.trouble.empty()) << fit.trouble;
    for (int id : floor_) EXPECT_NEAR(heightOf(fit, id), 0, 1e-9);
    EXPECT_GT(fit.worldFromSolve.point(solve_.frames[0].pose.position).y(), 0) << "cameras stand above the floor";
    EXPECT_FALSE(fit.metric);
}

TEST_F(TiltedWorld, TwoPointsAndALengthSetTheScale) {
    GroundSpec spec = onFloor();
    spec.lengths.push_back({LengthKind::distance, {floor_[0], floor_[6]}, 0, 12.0, 0, ""});  // truly 6 apart
    const GroundFit fit = build(spec);
    EXPECT_TRUE(fit.metric);
    Eigen::Vector3d a = Eigen::Vector3d::Zero(), b = a;
    for (const auto& p : solve_.points) {
        if (p.pathId == floor_[0]) a = fit.worldFromSolve.point(p.position);
        if (p.pathId == floor_[6]) b = fit.worldFromSolve.point(p.position);
    }
    EXPECT_NEAR((a - b).norm(), 12, 1e-9);
}

TEST_F(TiltedWorld, OriginAndFacingAreWhereTheArtistSaid) {
    GroundSpec spec = onFloor();
    spec.origin = {WorldOrigin::Kind::point, {floor_[10]}, 0, 0, 0};
    spec.facing = {WorldFacing::Kind::points, {floor_[0], floor_[6]}, {}, 0, 0, false, 0};
    const GroundFit fit = build(spec);
    Eigen::Vector3d a = Eigen::Vector3d::Zero(), b = a, o(1, 1, 1);
    for (const auto& p : solve_.points) {
        if (p.pathId == floor_[0]) a = fit.worldFromSolve.point(p.position);
        if (p.pathId == floor_[6]) b = fit.worldFromSolve.point(p.position);
        if (p.pathId == floor_[10]) o = fit.worldFromSolve.point(p.position);
    }
    EXPECT_LT(o.norm(), 1e-9);
    EXPECT_LT(((b - a).normalized() - Eigen::Vector3d::UnitZ()).norm(), 1e-9);
}

TEST_F(TiltedWorld, FloorIsFoundByItself) {
    const GroundFit fit = build({});
    ASSERT_TRUE(fit.level);
    for (int id : floor_) EXPECT_NEAR(heightOf(fit, id), 0, 1e-6);
    EXPECT_GE(fit.usedPaths.size(), floor_.size());
}

TEST_F(TiltedWorld, WhatCannotBeHadIsSaidAndTheRestDone) {
    GroundSpec line;
    line.level.push_back({LevelKind::floor, {floor_[0], floor_[1], floor_[2]}, {}});  // in a row
    GroundFit fit = build(line);
    EXPECT_FALSE(fit.level);
    EXPECT_NE(fit.trouble.find("line"), std::string::npos);
    GroundSpec gone = onFloor();
    gone.origin = {WorldOrigin::Kind::point, {99999}, 0, 0, 0};
    gone.lengths.push_back({LengthKind::distance, {floor_[0], floor_[0]}, 0, 2, 0, ""});
    fit = build(gone);
    EXPECT_TRUE(fit.level);
    EXPECT_FALSE(fit.metric);
    EXPECT_NE(fit.trouble.find("origin"), std::string::npos);
    EXPECT_NE(fit.trouble.find("length"), std::string::npos);
    // Points far away over the picture, whose depth is open, tell little of the upright: that is said. (Far points of
    // a floor seen from its edge would lie on the horizon, and tell it well.)
    const std::vector<SolvedPoint> had = solve_.points;
    for (const auto& [away, words] : {std::pair(1e5, "leaves the level open"), std::pair(1500.0, "too far away")}) {
        for (SolvedPoint& p : solve_.points) {
            if (p.pathId == floor_[0]) p.position = rotation_ * (away * Eigen::Vector3d(-2, 1, -4));
            if (p.pathId == floor_[20]) p.position = rotation_ * (away * Eigen::Vector3d(2, -1, -5));
            if (p.pathId == floor_[60]) p.position = rotation_ * (away * Eigen::Vector3d(0, 2, -6));
        }
        fit = build(onFloor());
        EXPECT_NE(fit.trouble.find(words), std::string::npos) << fit.trouble << " ± " << fit.levelSigmaDeg;
    }
    solve_.points = had;
    SolveResult turning = solve_;
    turning.motion = Motion::nodalPan;
    EXPECT_FALSE(buildGround(*makeGroundBasis(std::make_shared<SolveResult>(turning)), gone).level);
}

// A plane of what a patch follows: features that lie inside it wherever both are seen, and no others.
TEST(PatchPlane, HoldsWhatLiesInsideThePatch) {
    Shot shot;
    SolveResult solve;
    solve.motion = Motion::free;
    auto paths = std::make_shared<std::vector<Path>>();
    // Inside in both frames; outside; inside in the first alone; inside, but without a solved point.
    const Eigen::Vector2d at[4][2] = {
        {{50, 50}, {60, 50}}, {{150, 50}, {160, 50}}, {{95, 50}, {115, 50}}, {{20, 20}, {30, 20}}};
    for (int i = 0; i < 4; ++i) {
        Path p;
        p.id = i + 1;
        for (int f = 0; f < 2; ++f) {
            PathPoint q;
            q.frame = 1001 + f;
            q.x = at[i][f].x(), q.y = at[i][f].y();
            p.put(q);
        }
        paths->push_back(p);
        if (i < 3) solve.points.emplace_back().pathId = i + 1;
    }
    shot.paths = paths;
    shot.solve = std::make_shared<SolveResult>(solve);
    FlatPatch patch;
    patch.referenceFrame = 1001;
    patch.corners = {Eigen::Vector2d(0, 0), {100, 0}, {100, 100}, {0, 100}};
    for (int f = 0; f < 2; ++f) {
        PatchFrame& frame = patch.frames.emplace_back();
        frame.frame = 1001 + f;
        frame.map.setIdentity();
        frame.map(0, 2) = 10 * f;
    }
    EXPECT_EQ(pathsOnPatch(shot, patch), std::vector<int>{1});
    // Not tracked yet it is known in its reference frame only.
    patch.frames.clear();
    EXPECT_EQ(pathsOnPatch(shot, patch), (std::vector<int>{1, 3}));
    solve.motion = Motion::nodalPan;
    shot.solve = std::make_shared<SolveResult>(solve);
    EXPECT_TRUE(pathsOnPatch(shot, patch).empty());
}

TEST(Similarity, InverseAndChain) {
    Similarity s{2.5, Eigen::Quaterniond(Eigen::AngleAxisd(0.7, Eigen::Vector3d(1, 2, 3).normalized())), {1, -2, 3}};
    const Eigen::Vector3d p(0.3, 4, -5);
    EXPECT_LT((s.inverse().point(s.point(p)) - p).norm(), 1e-12);
    EXPECT_LT((s.after(s).point(p) - s.point(s.point(p))).norm(), 1e-12);
}

TEST(Plane, NeedsThreePointsNotInARow) {
    EXPECT_FALSE(fitPlane({{0, 0, 0}, {1, 0, 0}}));
    EXPECT_FALSE(fitPlane({{0, 0, 0}, {1, 1, 1}, {2, 2, 2}, {3, 3, 3}}));
    const auto fit = fitPlane({{0, 1, 0}, {1, 1, 0}, {0, 1, 1}, {1, 1, 1}});
    ASSERT_TRUE(fit);
    EXPECT_NEAR(std::fabs(fit->normal.y()), 1, 1e-12);
    EXPECT_NEAR(fit->distance({5, 1, 5}), 0, 1e-12);
}

// Projects of versions before 5 held a floor, a point, a direction and one length.
TEST(GroundChoices, OlderProjectsAreRead) {
    const GroundSpec g = groundFrom(nlohmann::json::parse(
        R"({"level_paths": [3, 5, 8], "origin_path": 5, "z_along": [3, 8], "length": {"from": 3, "to": 5, "metres": 2.5}})"));
    ASSERT_EQ(g.level.size(), 1U);
    EXPECT_EQ(g.level[0].paths, (std::vector<int>{3, 5, 8}));
    EXPECT_EQ(g.origin.paths, (std::vector<int>{5}));
    EXPECT_EQ(g.facing.kind, WorldFacing::Kind::points);
    EXPECT_EQ(g.facing.paths, (std::vector<int>{3, 8}));
    ASSERT_EQ(g.lengths.size(), 1U);
    EXPECT_EQ(g.lengths[0].metres, 2.5);
    EXPECT_TRUE(groundFrom(nlohmann::json::parse(R"({"level_paths": []})")) == GroundSpec());
}

TEST(TransformText, GoesThereAndBackToTheLastDigit) {
    const Similarity s{
        2.5, Eigen::Quaterniond(Eigen::AngleAxisd(0.7, Eigen::Vector3d(1, 2, 3).normalized())), {1.0 / 3, -2, 3e-9}};
    const Similarity t = transformFromText(textOfTransform(s));
    EXPECT_EQ(t.scale, s.scale);
    EXPECT_EQ(t.translation, s.translation);
    EXPECT_LT(t.rotation.angularDistance(s.rotation), 1e-12);
    EXPECT_THROW((void)transformFromText(""), InputError);
    EXPECT_THROW((void)transformFromText("scale -1"), InputError);
    EXPECT_THROW((void)transformFromText("rotation 1 1 1 1"), InputError);
}

}  // namespace
}  // namespace va
