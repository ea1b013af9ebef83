// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/bundle/band_matrix.h"

#include <gtest/gtest.h>

#include <Eigen/Dense>
#include <cmath>
#include <random>

#include "solve/bundle/point_tie.h"

namespace va {
namespace {

class Band : public ::testing::TestWithParam<std::pair<int, int>> {};

// Against Eigen's dense Cholesky factor of the same matrix.
TEST_P(Band, FactorsAndSolvesLikeADenseMatrix) {
    const auto [n, width] = GetParam();
    std::mt19937 random(3);
    std::uniform_real_distribution<double> u(-1, 1);
    std::vector<int> reach(size_t(n), 0);
    for (int j = 0; j < n; ++j) reach[size_t(j)] = std::min(n - 1, j + width + (j % 3));
    Eigen::MatrixXd dense = Eigen::MatrixXd::Zero(n, n);
    BandMatrix band(reach);
    for (int j = 0; j < n; ++j)
        for (int i = j; i <= std::min(n - 1, j + width); ++i) {
            const double v = i == j ? 3.0 * (width + 1) : u(random);
            dense(i, j) = dense(j, i) = v;
            band.at(i, j) = v;
        }
    Eigen::MatrixXd x(n, 2);
    for (int i = 0; i < n; ++i) x(i, 0) = u(random), x(i, 1) = i;
    const Eigen::MatrixXd expected = dense.llt().solve(x);
    ASSERT_TRUE(band.factor());
    band.solveLower(x);
    band.solveUpper(x);
    EXPECT_LT((x - expected).norm(), 1e-9 * (1 + expected.norm()));
}
INSTANTIATE_TEST_SUITE_P(Sizes, Band,
                         ::testing::Values(std::pair(1, 0), std::pair(5, 2), std::pair(47, 46), std::pair(200, 13),
                                           std::pair(200, 60), std::pair(333, 332), std::pair(500, 100)));

TEST(BandMatrix, SaysWhenItIsNotPositiveDefinite) {
    BandMatrix m(std::vector<int>{1, 2, 2});
    m.at(0, 0) = 1, m.at(1, 1) = -1, m.at(2, 2) = 1;
    EXPECT_FALSE(m.factor());
    BandMatrix empty{std::vector<int>{}};
    EXPECT_TRUE(empty.factor());
}

TEST(Packed, ProductIsSubtractedInAnyCut) {
    const int n = 37, depth = 9;
    PackedRows y;
    y.reset(depth, n);
    Eigen::MatrixXd dense(depth, n);
    for (int k = 0; k < depth; ++k)
        for (int i = 0; i < n; ++i) y.at(k, i) = dense(k, i) = std::sin(3 * k + i * i);
    const Eigen::MatrixXd expected = -dense.transpose() * dense;
    const int step = n + rankUpdateSlack;
    std::vector<double> whole(size_t(n * step), 0), cut = whole;
    subtractProduct(whole.data(), step, y, 0, n);
    for (const auto& [a, b] : {std::pair(0, 5), std::pair(5, 6), std::pair(6, 30), std::pair(30, 37)})
        subtractProduct(cut.data(), step, y, a, b);
    for (int i = 0; i < n; ++i)
        for (int j = 0; j <= i; ++j) {
            EXPECT_NEAR(whole[size_t(i * step + j)], expected(i, j), 1e-12);
            EXPECT_EQ(whole[size_t(i * step + j)], cut[size_t(i * step + j)]) << "same sums in the same order";
        }
}

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__SANITIZE_THREAD__) && \
    !defined(__SANITIZE_ADDRESS__)
// Vectors of four and of eight numbers are used, as the processor has them; a solve must not hang on which.
TEST(Packed, WiderVectorsSumInTheSameOrder) {
    if (!__builtin_cpu_supports("x86-64-v3")) GTEST_SKIP() << "without fused multiplication sums round differently";
    const int n = 61, depth = 48;
    PackedRows y;
    y.reset(depth, n);
    for (int k = 0; k < depth; ++k)
        for (int i = 0; i < n; ++i) y.at(k, i) = std::sin(1.7 * k + 0.3 * i * i) * std::exp(std::cos(2.3 * k * i));
    const int step = n + rankUpdateSlack;
    std::vector<double> c(size_t(n * step));
    for (size_t i = 0; i < c.size(); ++i) c[i] = std::cos(double(i));
    const std::vector<double> before = c;
    subtractProduct(c.data(), step, y, 0, n);
    for (int i = 0; i < n; ++i)
        for (int j = 0; j <= i; ++j) {
            double sum = 0;
            for (int k = 0; k < depth; ++k) sum = std::fma(y.at(k, i), y.at(k, j), sum);
            const auto at = size_t(i * step + j);
            ASSERT_EQ(c[at], before[at] - sum) << i << ", " << j;
        }
}
#endif

TEST(PointTies, SayHowFarTheirPointsAreOff) {
    const std::vector<Eigen::Vector3d> p{{0, 0, 0}, {3, 0, 0}, {3, 4, 0}, {0, 4, 0}, {1, 1, 0.5}};
    PointTie t;
    t.points = {0, 2};
    t.length = 4, t.sigma = 0.5;
    EXPECT_NEAR(tieResiduals(t, p)[0], 2, 1e-12);
    t.kind = PointTie::Kind::rightAngle;
    t.points = {0, 1, 2};
    EXPECT_NEAR(tieResiduals(t, p)[0], 0, 1e-12);
    t.kind = PointTie::Kind::flat;
    t.points = {0, 1, 2, 3};
    EXPECT_LT(tieResiduals(t, p).norm(), 1e-12);
    t.points = {0, 1, 2, 3, 4};
    EXPECT_GT(tieResiduals(t, p).norm(), 0.3);
    t.kind = PointTie::Kind::level;
    t.points = {4};
    t.normal = Eigen::Vector3d::UnitZ();
    EXPECT_NEAR(tieResiduals(t, p)[0], 1, 1e-12);
    // Nonsense gives zeros and no NaN.
    t.kind = PointTie::Kind::rightAngle;
    t.points = {0, 0, 0};
    EXPECT_EQ(tieResiduals(t, p)[0], 0);
    EXPECT_TRUE(tieJacobian(t, p).allFinite());
    t.kind = PointTie::Kind::flat;
    t.points = {0, 1};
    EXPECT_EQ(tieResiduals(t, p).norm(), 0);
}

}  // namespace
}  // namespace va
