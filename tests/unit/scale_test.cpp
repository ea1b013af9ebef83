// SPDX-License-Identifier: GPL-3.0-or-later
// Scale from known lengths.
#include "ground/scale.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace va {
namespace {

class Lengths : public ::testing::Test {
  protected:
    void SetUp() override {
        add(1, {0, 0, 0});
        add(2, {3, 0, 0});
        add(3, {0, 0, 4});
        add(4, {0.1, 2, 0});  // leans a little over its foot, point 1
        for (int i = 0; i < 5; ++i) add(10 + i, {0.5 * i, 0, 1});
        add(20, {0, 0, 0});
        SolvedFrame f;
        f.frame = 1001;
        f.solved = true;
        f.pose.position = {0, 1.5, 5};
        cameras_.frames.push_back(f);
        scene_.points = &points_;
        scene_.cameras = &cameras_;
        scene_.ground = 0.0;
    }
    void add(int id, const Eigen::Vector3d& p) {
        SurePoint s;
        s.pathId = id;
        s.position = p;
        s.covariance = 1e-10 * Eigen::Matrix3d::Identity();
        points_.push_back(s);
    }
    static KnownLength known(LengthKind kind, std::vector<int> paths, double metres, double sigma = 0) {
        return {kind, std::move(paths), 1001, metres, sigma, ""};
    }
    std::vector<SurePoint> points_;
    CameraTrack cameras_;
    LengthScene scene_;
};

TEST_F(Lengths, EveryKindIsMeasuredBetweenWhatItSays) {
    const auto length = [&](const KnownLength& k) { return solvedLength(k, scene_).length; };
    EXPECT_NEAR(length(known(LengthKind::distance, {2, 3}, 1)), 5, 1e-9);
    EXPECT_NEAR(length(known(LengthKind::uprightHeight, {1, 4}, 1)), 2, 1e-9) << "along the upright";
    EXPECT_NEAR(length(known(LengthKind::heightOverGround, {4}, 1)), 2, 1e-9);
    EXPECT_NEAR(length(known(LengthKind::cameraHeight, {}, 1)), 1.5, 1e-9);
    EXPECT_NEAR(length(known(LengthKind::spacing, {10, 12, 11, 14, 13}, 1)), 0.5, 1e-9) << "in any order";
}

TEST_F(Lengths, WhatCannotBeMeasuredSaysWhy) {
    const auto why = [&](const KnownLength& k) { return solvedLength(k, scene_).why; };
    EXPECT_NE(why(known(LengthKind::distance, {1, 99}, 1)).find("not in this solve"), std::string::npos);
    EXPECT_NE(why(known(LengthKind::distance, {1, 20}, 1)).find("nothing"), std::string::npos);
    EXPECT_NE(why(known(LengthKind::spacing, {10, 11}, 1)).find("three or more"), std::string::npos);
    scene_.ground.reset();
    EXPECT_NE(why(known(LengthKind::heightOverGround, {4}, 1)).find("No ground"), std::string::npos);
    EXPECT_FALSE(fitScale({known(LengthKind::distance, {1, 20}, 1)}, scene_));
    EXPECT_FALSE(fitScale({known(LengthKind::distance, {1, 2}, 0)}, scene_)) << "a scale of nothing";
    EXPECT_FALSE(fitScale({}, scene_));
}

// Three lengths with 1 % noise each, a hundred times: the scatter of the scale is what is stated.
TEST_F(Lengths, StatedDeviationIsTheScatter) {
    std::mt19937_64 random(3);
    std::normal_distribution<double> normal;
    double squares = 0, stated = 0;
    const int draws = 100;
    for (int d = 0; d < draws; ++d) {
        const auto noisy = [&](double m) { return 2 * m * (1 + 0.01 * normal(random)); };
        const auto fit =
            fitScale({known(LengthKind::distance, {1, 2}, noisy(3)), known(LengthKind::distance, {2, 3}, noisy(5)),
                      known(LengthKind::uprightHeight, {1, 4}, noisy(2))},
                     scene_);
        ASSERT_TRUE(fit);
        squares += std::pow(std::log(fit->scale / 2), 2) / draws;
        stated += fit->sigma / draws;
    }
    EXPECT_GE(std::sqrt(squares) / stated, 0.8);
    EXPECT_LE(std::sqrt(squares) / stated, 1.25);
}

TEST_F(Lengths, AWrongOneAmongFourIsNamed) {
    std::mt19937_64 random(8);
    std::normal_distribution<double> normal;
    for (int d = 0; d < 50; ++d) {
        const auto noisy = [&](double m) { return 2 * m * (1 + 0.01 * normal(random)); };
        const auto fit = fitScale(
            {known(LengthKind::distance, {1, 2}, noisy(3)), known(LengthKind::distance, {2, 3}, noisy(5)),
             known(LengthKind::cameraHeight, {}, 1.2 * noisy(1.5)), known(LengthKind::uprightHeight, {1, 4}, noisy(2))},
            scene_);
        ASSERT_TRUE(fit);
        for (size_t i = 0; i < 4; ++i) EXPECT_EQ(fit->reports[i].used, i != 2) << d;
        EXPECT_NE(fit->reports[2].why.find("contradicts"), std::string::npos);
        EXPECT_NEAR(fit->reports[2].misfitPercent, -17, 4);
        EXPECT_NEAR(fit->scale, 2, 0.05);
    }
}

TEST_F(Lengths, OfTwoThatContradictBothAreNamed) {
    const auto fit = fitScale({known(LengthKind::distance, {1, 2}, 3), known(LengthKind::distance, {2, 3}, 6)}, scene_);
    ASSERT_TRUE(fit);
    EXPECT_NE(fit->trouble.find("contradict"), std::string::npos) << fit->trouble;
    EXPECT_TRUE(fit->reports[0].used && fit->reports[1].used);
    EXPECT_GT(fit->sigma, 0.05) << "the deviation says so, too";
}

}  // namespace
}  // namespace va
