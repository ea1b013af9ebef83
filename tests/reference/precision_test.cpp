// SPDX-License-Identifier: GPL-3.0-or-later
// Following against the Cramér–Rao bound. For a shift of a patch between two pictures with white noise of variance s²
// in each, the bound of its covariance is 2 s² (Σ g gᵀ)⁻¹ with g the gradients of the clean picture (Kay, "Fundamentals
// of Statistical Signal Processing: Estimation Theory", 1993, sec. 3.8, for two noisy pictures). It takes shape, gain
// and bias for known; what is measured here has to find them as well.
#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <Eigen/LU>
#include <cmath>

#include "track/find_features.h"
#include "track/flat_patch.h"
#include "track/follow.h"
#include "warp.h"

namespace va {
namespace {

constexpr int width = 640, height = 480, count = 60, radius = 10;
constexpr double sigma = 2;  // grey levels of 255

struct Precision {
    double ratio = 0;       ///< RMS of errors in units of the bound
    double normalised = 0;  ///< mean squared error over the stated covariance, an axis
    int started = 0, lost = 0;
    double rmsPx = 0;
};

Precision measure(const std::string& name, const std::function<Eigen::Matrix3d(double t)>& move) {
    const Luma photo = test::loadPhoto(name);
    const Eigen::Vector2d inset((photo.width - width) / 2.0, (photo.height - height) / 2.0);
    const auto view = [&](int frame, double noise) {
        const Eigen::Matrix3d back = move(frame / double(count - 1)).inverse();
        return test::warped(
            photo, width, height,
            [&](const Eigen::Vector2d& p) -> Eigen::Vector2d { return throughMap(back, p) + inset; }, noise,
            unsigned(frame + 1));
    };
    const Luma clean = view(0, 0);
    Progress progress;
    FollowRequest request;
    for (int i = 0; i < count; ++i) request.frames.push_back(i);
    request.read = [&](int f) { return view(f, sigma); };
    request.options.features = 150;
    request.options.radius = radius;
    request.options.refillEvery = 1000;
    Precision out;
    double squares = 0, px = 0, normalised = 0;
    int n = 0;
    for (const Path& p : followFeatures(std::move(request), progress)) {
        const PathPoint& first = p.points.front();
        // Only what stays in the picture all the time can be said to be lost.
        bool inside = first.frame == 0;
        for (int f = 0; f < count; ++f) {
            const Eigen::Vector2d at = throughMap(move(f / double(count - 1)), {first.x, first.y});
            inside = inside && at.x() > 30 && at.y() > 30 && at.x() < width - 31 && at.y() < height - 31;
        }
        if (!inside) continue;
        ++out.started;
        const PathPoint* last = p.at(count - 1);
        if (!last) {
            ++out.lost;
            continue;
        }
        Eigen::Matrix2d information = Eigen::Matrix2d::Zero();
        for (int j = -radius; j <= radius; ++j)
            for (int i = -radius; i <= radius; ++i) {
                const int x = int(first.x) + i, y = int(first.y) + j;
                const Eigen::Vector2d g(0.5 * double(clean.at(x + 1, y) - clean.at(x - 1, y)),
                                        0.5 * double(clean.at(x, y + 1) - clean.at(x, y - 1)));
                information += g * g.transpose();
            }
        // The bound holds in the reference's pixels; the move's derivative takes it to the last frame's.
        const Eigen::Matrix3d m = move(1);
        const Eigen::Vector2d at = throughMap(m, {first.x, first.y});
        Eigen::Matrix2d derivative;
        derivative.col(0) = throughMap(m, {first.x + 0.5, first.y}) - throughMap(m, {first.x - 0.5, first.y});
        derivative.col(1) = throughMap(m, {first.x, first.y + 0.5}) - throughMap(m, {first.x, first.y - 0.5});
        const Eigen::Matrix2d bound = 2 * sigma * sigma * derivative * information.inverse() * derivative.transpose();
        const Eigen::Vector2d e = Eigen::Vector2d(last->x, last->y) - at;
        Eigen::Matrix2d stated;
        stated << double(last->sxx), double(last->sxy), double(last->sxy), double(last->syy);
        squares += 0.5 * e.dot(bound.inverse() * e);
        normalised += 0.5 * e.dot(stated.inverse() * e);
        px += 0.5 * e.squaredNorm();
        ++n;
    }
    if (n > 0) out.ratio = std::sqrt(squares / n), out.normalised = normalised / n, out.rmsPx = std::sqrt(px / n);
    return out;
}

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
class Moves : public ::testing::TestWithParam<Move> {};

TEST_P(Moves, FrameSixtyIsNearTheBoundAndSaysSo) {
    const Precision p = measure("aloeL.jpg", GetParam().map);
    std::printf("%s: %d followed, %d lost, %.4f px, %.3f of the bound, normalised error squared %.3f\n",
                GetParam().name, p.started, p.lost, p.rmsPx, p.ratio, p.normalised);
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
