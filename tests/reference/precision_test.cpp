// SPDX-License-Identifier: GPL-3.0-or-later
// Tracking against the Cramér–Rao bound. For a shift of a patch between two pictures with white noise of variance s²
// in each, the bound of its covariance is 2 s² (Σ g gᵀ)⁻¹ with g the gradients of the clean picture (Kay, "Fundamentals
// of Statistical Signal Processing: Estimation Theory", 1993, chapter 3, from memory; here for two noisy pictures). It
// takes shape, gain and bias for known; what is measured here has to find them as well.
#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <cmath>

#include "precision.h"

namespace va {
namespace {

constexpr int width = test::precisionWidth, height = test::precisionHeight;

Eigen::Matrix3d around(const Eigen::Matrix2d& linear, const Eigen::Vector2d& shift, double px, double py) {
    const Eigen::Vector2d middle(width / 2.0, height / 2.0);
    Eigen::Matrix3d to = Eigen::Matrix3d::Identity(), m = to;
    to.topRightCorner<2, 1>() = middle;
    m.topLeftCorner<2, 2>() = linear;
    m.topRightCorner<2, 1>() = shift;
    m(2, 0) = px;
    m(2, 1) = py;
    return to * m * to.inverse();
}

Eigen::Matrix3d shifted(double t) { return around(Eigen::Matrix2d::Identity(), {33.3 * t, -17.7 * t}, 0, 0); }
Eigen::Matrix3d turned(double t) {
    return around(Eigen::Rotation2Dd(9 * t * M_PI / 180).toRotationMatrix(), {0, 0}, 0, 0);
}
Eigen::Matrix3d zoomed(double t) { return around((1 + 0.18 * t) * Eigen::Matrix2d::Identity(), {4 * t, 0}, 0, 0); }
Eigen::Matrix3d tilted(double t) { return around(Eigen::Matrix2d::Identity(), {9 * t, 5 * t}, 2e-4 * t, -1.2e-4 * t); }

struct Move {
    const char* name;
    Eigen::Matrix3d (*map)(double t);
};
void PrintTo(const Move& move, std::ostream* out) { *out << move.name; }
class Moves : public ::testing::TestWithParam<Move> {};

TEST_P(Moves, FrameSixtyIsNearTheBoundAndSaysSo) {
    const test::Precision p = test::measurePrecision("aloeL.jpg", GetParam().map);
    std::printf("%s: %d tracked, %d lost, %.4f px, %.3f of the bound, normalised error squared %.3f\n", GetParam().name,
                p.started, p.lost, p.rmsPx, p.ratio, p.normalised);
    ASSERT_GT(p.started, 40);
    EXPECT_EQ(p.lost, 0);
    EXPECT_LE(p.ratio, 1.4);
    EXPECT_GE(p.normalised, 0.7);
    EXPECT_LE(p.normalised, 1.5);
}

INSTANTIATE_TEST_SUITE_P(OnPhoto, Moves,
                         ::testing::Values(Move{"shift", shifted}, Move{"turn", turned}, Move{"zoom", zoomed},
                                           Move{"perspective", tilted}));

}  // namespace
}  // namespace va
