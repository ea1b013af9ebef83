// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/patch_kernels.h"

#include <gtest/gtest.h>

#include <Eigen/Core>
#include <random>
#include <vector>

#include "base/plane.h"

namespace va {
namespace {

Luma noisyPicture(int width, int height) {
    std::mt19937 random(5);
    std::uniform_real_distribution<float> level(10, 240);
    Luma out(width, height);
    for (float& v : out.data) v = level(random);
    return out;
}

/// The arrays of a patch, as registration keeps them, with weights that differ from pixel to pixel.
struct Arrays {
    PatchLayout layout;
    std::vector<float> weight, levels, gx, gy, weighedGx, weighedGy, texture;

    Arrays(const Luma& picture, int radius) : layout(radius) {
        const auto n = size_t(layout.count());
        levels.resize(n), gx.resize(n), gy.resize(n);
        levelsAndGradients(layout, picture.row(24) + 30, picture.width, levels.data(), gx.data(), gy.data());
        for (size_t i = 0; i < n; ++i) {
            const float w = layout.once[i] * (0.5f + float(layout.pixel[i] % 7) / 6);
            weight.push_back(w);
            weighedGx.push_back(w * gx[i]);
            weighedGy.push_back(w * gy[i]);
            texture.push_back(w * (levels[i] - 120));
        }
    }
    /// Steepest-descent image of a position of the layout, from its definition.
    [[nodiscard]] Eigen::Matrix<double, 6, 1> descent(size_t i) const {
        const double x = double(gx[i]), y = double(gy[i]), u = double(layout.u[i]), v = double(layout.v[i]);
        Eigen::Matrix<double, 6, 1> out;
        out << x, y, x * u, x * v, y * u, y * v;
        return out;
    }
};

class PatchKernels : public testing::TestWithParam<int> {};

TEST_P(PatchKernels, LevelsAndGradientsAreThoseOfThePicture) {
    const Luma picture = noisyPicture(64, 48);
    const Arrays a(picture, GetParam());
    for (size_t i = 0; i < a.levels.size(); ++i) {
        if (a.layout.pixel[i] < 0) continue;
        const int x = 30 + int(a.layout.u[i]), y = 24 + int(a.layout.v[i]);
        ASSERT_FLOAT_EQ(a.levels[i], picture.at(x, y));
        ASSERT_FLOAT_EQ(a.gx[i], 0.5f * (picture.at(x + 1, y) - picture.at(x - 1, y)));
        ASSERT_FLOAT_EQ(a.gy[i], 0.5f * (picture.at(x, y + 1) - picture.at(x, y - 1)));
    }
}

TEST_P(PatchKernels, MomentsAreSumsOfProducts) {
    const Arrays a(noisyPicture(64, 48), GetParam());
    Eigen::Matrix<double, 6, 6> expected = Eigen::Matrix<double, 6, 6>::Zero();
    for (size_t i = 0; i < a.weight.size(); ++i)
        expected += double(a.weight[i]) * a.descent(i) * a.descent(i).transpose();
    double moments[6][6];
    descentMoments(a.layout, a.gx.data(), a.gy.data(), a.weighedGx.data(), a.weighedGy.data(), moments);
    for (int r = 0; r < 6; ++r)
        for (int c = 0; c < 6; ++c)
            EXPECT_NEAR(moments[r][c], expected(r, c), 1e-5 * std::sqrt(expected(r, r) * expected(c, c)));
}

TEST_P(PatchKernels, BlurredMomentsReachAPixelBeyondThePatch) {
    const Arrays a(noisyPicture(64, 48), GetParam());
    const float one[6] = {0.3f, -0.2f, 1, -2, 0.5f, 3}, along[6] = {0.01f, -0.02f, 0.1f, 0, -0.1f, 0.05f};
    const int side = a.layout.side, wide = side + 4;
    std::vector<Eigen::Matrix<double, 6, 1>> plane(size_t(wide * wide), Eigen::Matrix<double, 6, 1>::Zero());
    for (size_t i = 0; i < a.weight.size(); ++i) {
        if (a.layout.pixel[i] < 0) continue;
        Eigen::Matrix<double, 6, 1> j = double(a.weight[i]) * a.descent(i);
        for (int k = 0; k < 6; ++k)
            j(k) -= double(a.weight[i]) * double(one[k]) + double(a.texture[i]) * double(along[k]);
        const int y = a.layout.pixel[i] / side, x = a.layout.pixel[i] % side;
        plane[size_t((y + 2) * wide + x + 2)] = j;
    }
    Eigen::Matrix<double, 6, 6> expected = Eigen::Matrix<double, 6, 6>::Zero();
    constexpr double h[3] = {0.25, 0.5, 0.25};
    for (int y = 1; y + 1 < wide; ++y)
        for (int x = 1; x + 1 < wide; ++x) {
            Eigen::Matrix<double, 6, 1> sum = Eigen::Matrix<double, 6, 1>::Zero();
            for (int b = 0; b < 3; ++b)
                for (int c = 0; c < 3; ++c) sum += h[b] * h[c] * plane[size_t((y + b - 1) * wide + x + c - 1)];
            expected += sum * sum.transpose();
        }
    double moments[6][6];
    blurredMoments(a.layout, a.weight.data(), a.texture.data(), a.weighedGx.data(), a.weighedGy.data(), one, along,
                   moments);
    for (int r = 0; r < 6; ++r)
        for (int c = 0; c < 6; ++c)
            EXPECT_NEAR(moments[r][c], expected(r, c), 1e-5 * std::sqrt(expected(r, r) * expected(c, c)));
}

// Radii below, at and above what fills one vector, two and three.
INSTANTIATE_TEST_SUITE_P(Radii, PatchKernels, testing::Values(2, 3, 4, 7, 8, 12));

TEST(PatchKernels, AShiftedRectangleIsSampledAsSinglePositionsAre) {
    const Luma picture = noisyPicture(64, 48);
    for (const auto& [x, y] : {std::pair(5.0f, 7.0f), std::pair(5.25f, 7.75f), std::pair(6.999f, 9.5f)})
        for (const int width : {8, 13, 31}) {
            const int height = 9, stride = (width + 7) / 8 * 8;
            std::vector<float> sum(size_t(stride * height), 1.0f);
            addShifted(picture.data.data(), picture.width, x, y, width, height, 0.5f, sum.data(), stride);
            std::vector<float> u(8), v(8), line(8);
            for (int j = 0; j < height; ++j)
                for (int i = 0; i < width; ++i) {
                    const float m[6] = {1, 0, 0, 1, x + float(i), y + float(j)};
                    sampleCubic(picture.data.data(), picture.width, u.data(), v.data(), 8, m, line.data());
                    ASSERT_NEAR(sum[size_t(j * stride + i)], 1 + 0.5f * line[0], 2e-3) << x << ' ' << i << ' ' << j;
                }
        }
}

}  // namespace
}  // namespace va
