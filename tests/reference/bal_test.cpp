// SPDX-License-Identifier: GPL-3.0-or-later
#include "bal.h"

#include <gtest/gtest.h>

namespace va {
namespace {

// Costs printed in the Ceres Solver documentation ("Bundle Adjustment" tutorial) for problem-16-22106-pre of Agarwal et
// al. 2010.
TEST(BundleAdjustmentInTheLarge, ReachesThePublishedCost) {
    BundleProblem problem = test::readBal(std::string(VA_TEST_DATA) + "/bal/problem-16-22106-pre.txt.bz2");
    ASSERT_EQ(problem.views.size(), 16U);
    ASSERT_EQ(problem.points.size(), 22106U);
    ASSERT_EQ(problem.observations.size(), 83718U);
    BundleOptions options;
    options.solved = {LensValue::focal, LensValue::k1, LensValue::k2};
    options.iterations = 200;
    options.stopWhenCostFallsBy = 1e-7;
    const BundleSummary s = bundle(problem, options);
    ASSERT_TRUE(s.usable);
    EXPECT_NEAR(s.initialCost / 4.185660e+06, 1, 1e-5);
    EXPECT_LE(s.finalCost, 1.8034e+04 * 1.0005) << s.brief();
}

TEST(Bundle, JacobianIsRightWhereItMatters) {
    // A wrong derivative stops short of the minimum: with exact data every value must come back from a disturbed start.
    BundleProblem truth;
    Intrinsics lens;
    lens.focalPx = 1000;
    lens.pixelAspect = 1.2;
    lens.principalPoint = {640, 360};
    lens.lens = LensModel::brownConrady(-0.1, 0.02, 0.001, 0.0005, -0.0003);
    truth.lenses = {lens};
    for (int v = 0; v < 6; ++v) {
        View view;
        view.rotation = Eigen::AngleAxisd(0.05 * v, Eigen::Vector3d(0.2, 1, 0.1).normalized()).toRotationMatrix();
        view.translation = Eigen::Vector3d(-0.5 * v, 0.1 * v, 0.05 * v * v);
        truth.views.push_back(view);
        truth.lensOfView.push_back(0);
    }
    for (int i = 0; i < 120; ++i)
        truth.points.emplace_back(-3 + (i % 12) * 0.55, -1.5 + (i / 12) * 0.33, 5 + (i * 7 % 11) * 0.6);
    for (int v = 0; v < 6; ++v)
        for (int i = 0; i < 120; ++i)
            truth.observations.push_back(
                {v, i, *project(truth.views[size_t(v)], lens, truth.points[size_t(i)]), Eigen::Matrix2d::Identity()});
    BundleProblem disturbed = truth;
    disturbed.lenses[0].focalPx = 1040;
    disturbed.lenses[0].principalPoint += Eigen::Vector2d(8, -5);
    disturbed.lenses[0].lens = LensModel{};
    for (auto& p : disturbed.points) p += Eigen::Vector3d(0.03, -0.02, 0.05);
    BundleOptions options;
    options.solved = {LensValue::focal, LensValue::principalX, LensValue::principalY, LensValue::k1,
                      LensValue::k2,    LensValue::k3,         LensValue::p1,         LensValue::p2};
    options.fixedViews = {1, 0, 0, 0, 0, 0};
    options.iterations = 300;
    options.stopWhenCostFallsBy = 1e-14;
    const BundleSummary s = bundle(disturbed, options);
    EXPECT_LT(s.finalCost, 1e-6) << s.brief();
    EXPECT_NEAR(disturbed.lenses[0].focalPx, 1000, 0.05);
    EXPECT_NEAR(disturbed.lenses[0].lens.value("k1"), -0.1, 1e-4);
    EXPECT_NEAR(disturbed.lenses[0].lens.value("p1"), 0.0005, 1e-5);
    BundleProblem empty;
    EXPECT_FALSE(bundle(empty, options).usable);
}

}  // namespace
}  // namespace va
