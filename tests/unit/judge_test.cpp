// SPDX-License-Identifier: GPL-3.0-or-later
// The judge is judged: a perfect camera is perfect whatever the world it was solved in, and known faults show with
// their known size.
#include "judge.h"

#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "exchange/camera_json.h"
#include "solve/similarity.h"
#include "synthetic_shot.h"

namespace va {
namespace {

class Judge : public ::testing::Test {
  protected:
    void SetUp() override {
        test::SyntheticOptions o;
        o.points = 60;
        shot_ = test::makeSyntheticShot(o);
        nlohmann::json t{{"format", "vivid-anchor-truth"},
                         {"image", {{"width", 1280}, {"height", 720}, {"pixel_aspect", 1.0}}},
                         {"lens",
                          {{"k1", shot_.lens.lens.value("k1")},
                           {"k2", shot_.lens.lens.value("k2")},
                           {"k3", 0},
                           {"p1", 0},
                           {"p2", 0}}},
                         {"frames", nlohmann::json::array()},
                         {"points", nlohmann::json::array()}};
        for (size_t f = 0; f < shot_.cameras.size(); ++f) {
            const auto& c = shot_.cameras[f];
            t["frames"].push_back(
                {{"frame", 1001 + f},
                 {"position", {c.position.x(), c.position.y(), c.position.z()}},
                 {"rotation",
                  {c.worldFromCamera.w(), c.worldFromCamera.x(), c.worldFromCamera.y(), c.worldFromCamera.z()}},
                 {"focal_px", shot_.lens.focalPx},
                 {"principal_point_px", {639.5, 359.5}}});
        }
        for (const auto& x : shot_.points) {
            nlohmann::json seen = nlohmann::json::array();
            for (size_t f = 0; f < shot_.cameras.size(); ++f)
                if (const auto p = project(shot_.cameras[f], shot_.lens, x);
                    p && p->x() > 0 && p->y() > 0 && p->x() < 1279 && p->y() < 719)
                    seen.push_back({1001 + f, p->x(), p->y()});
            if (seen.size() >= 5) t["points"].push_back({{"position", {x.x(), x.y(), x.z()}}, {"seen", seen}});
        }
        truth_ = t.dump();
    }
    /// The true cameras as an export, moved into another world.
    SceneExport perfect(const Similarity& world) const {
        SceneExport s;
        s.width = 1280;
        s.height = 720;
        s.motion = "free";
        s.principalPoint = {639.5, 359.5};
        s.lens = shot_.lens.lens;
        for (size_t f = 0; f < shot_.cameras.size(); ++f)
            s.frames.push_back({int(1001 + f), true, world.pose(shot_.cameras[f]), shot_.lens.focalPx, 0});
        return s;
    }
    Judgement judged(const SceneExport& s) const { return judge(writeCameraJson(s), truth_); }
    test::SyntheticShot shot_;
    std::string truth_;
    const Similarity elsewhere_{
        0.37, Eigen::Quaterniond(Eigen::AngleAxisd(1.1, Eigen::Vector3d(1, -2, 0.5).normalized())), {4, -7, 2}};
};

TEST_F(Judge, PerfectIsPerfectInAnyWorld) {
    const Judgement j = judged(perfect(elsewhere_));
    EXPECT_EQ(j.solved, 40);
    EXPECT_LT(j.stickPx, 1e-6);
    EXPECT_LT(j.shapePx, 1e-5);
    EXPECT_LT(j.rotationDeg, 1e-6);
    EXPECT_LT(j.pathPercent, 1e-6);
    EXPECT_LT(j.focalPercent, 1e-9);
    EXPECT_LT(j.lensPx, 1e-9);
}

TEST_F(Judge, AJumpInOneFrameShowsInStickAndPath) {
    SceneExport s = perfect(elsewhere_);
    s.frames[20].pose.position += Eigen::Vector3d(0.01, 0, 0);
    const Judgement j = judged(s);
    EXPECT_GT(j.stickPx, 0.05);
    EXPECT_GT(j.pathPercent, 0.02);
    EXPECT_LT(j.rotationDeg, 1e-6);
}

TEST_F(Judge, ATurnedFrameShowsInRotation) {
    SceneExport s = perfect(elsewhere_);
    s.frames[10].pose.worldFromCamera =
        s.frames[10].pose.worldFromCamera * Eigen::AngleAxisd(0.5 * M_PI / 180, Eigen::Vector3d::UnitZ());
    // Half a degree in one of forty frames: RMS 0.5/√40.
    EXPECT_NEAR(judged(s).rotationDeg, 0.5 / std::sqrt(40.0), 0.01);
}

// Common practice: a wrong focal length hides in the mean error and shows far behind.
TEST_F(Judge, AWrongFocalLengthShowsInShape) {
    SceneExport s = perfect(elsewhere_);
    for (auto& f : s.frames) f.focalPx *= 1.02;
    const Judgement j = judged(s);
    EXPECT_NEAR(j.focalPercent, 2, 1e-6);
    EXPECT_GT(j.shapePx, 1);
}

TEST_F(Judge, UnsolvedFramesAreCounted) {
    SceneExport s = perfect(elsewhere_);
    for (int i = 0; i < 15; ++i) s.frames[size_t(i)].solved = false;
    const Judgement j = judged(s);
    EXPECT_EQ(j.frames, 40);
    EXPECT_EQ(j.solved, 25);
    EXPECT_LT(j.shapePx, 1e-5);
    EXPECT_THROW((void)judge("{}", truth_), InputError);
    EXPECT_THROW((void)judge(writeCameraJson(s), "{}"), InputError);
}

}  // namespace
}  // namespace va
