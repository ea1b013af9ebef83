// SPDX-License-Identifier: GPL-3.0-or-later
// Camera layers: noise as asked, overscan to the pixel, steady and slowed paths.
#include "layout/camera_layers.h"

#include <gtest/gtest.h>

#include <complex>
#include <numbers>

namespace va {
namespace {

constexpr int width = 1280, height = 720;
constexpr double focal = 1000;

/// A camera that goes along X and turns a little.
CameraTrack dolly(int frames) {
    CameraTrack t;
    t.motion = Motion::free;
    t.lens = {focal, 1, {(width - 1) / 2.0, (height - 1) / 2.0}, {}};
    t.height = height;
    for (int i = 0; i < frames; ++i) {
        SolvedFrame& f = t.frames.emplace_back();
        f.frame = 1001 + i;
        f.solved = true;
        f.focalPx = focal;
        f.pose.position = {0.1 * i, 1.5, 4};
        f.pose.worldFromCamera = Eigen::AngleAxisd(-0.002 * i, Eigen::Vector3d::UnitY());
    }
    return t;
}

/// Where a pixel of the layered picture lies in the picture of its solved camera, by plain pinhole rays.
Eigen::Vector2d inSource(const LayeredCamera& c, const Eigen::Vector2d& pixel) {
    const Eigen::Vector3d ray(pixel.x() - (width - 1) / 2.0, -(pixel.y() - (height - 1) / 2.0), -focal);
    const Eigen::Vector3d d = c.source.worldFromCamera.inverse() * (c.pose.worldFromCamera * ray);
    return {(width - 1) / 2.0 - focal * d.x() / d.z(), (height - 1) / 2.0 + focal * d.y() / d.z()};
}

/// Whether no pixel's border of any frame looks beyond the plate with these margins.
bool covered(const std::vector<LayeredCamera>& cameras, int left, int top, int right, int bottom) {
    for (const LayeredCamera& c : cameras)
        for (int i = 0; i <= 64; ++i)
            for (const Eigen::Vector2d& p : {Eigen::Vector2d(-0.5 + width * i / 64.0, -0.5),
                                             Eigen::Vector2d(-0.5 + width * i / 64.0, height - 0.5),
                                             Eigen::Vector2d(-0.5, -0.5 + height * i / 64.0),
                                             Eigen::Vector2d(width - 0.5, -0.5 + height * i / 64.0)}) {
                const Eigen::Vector2d at = inSource(c, p);
                if (at.x() < -0.5 - left - 1e-6 || at.x() > width - 0.5 + right + 1e-6 || at.y() < -0.5 - top - 1e-6 ||
                    at.y() > height - 0.5 + bottom + 1e-6)
                    return false;
            }
    return true;
}

TEST(CameraLayers, NothingOnIsTheSolvedCamera) {
    const CameraTrack t = dolly(20);
    const auto cameras = layeredCameras(t, {}, {}, {1001, 1020}, 25);
    ASSERT_EQ(cameras.size(), 20U);
    EXPECT_EQ(cameras[7].pose.position, t.frames[7].pose.position);
    EXPECT_LT(cameras[7].pose.worldFromCamera.angularDistance(t.frames[7].pose.worldFromCamera), 1e-9);
    const LayerOverscan over = overscanOf(cameras, t.lens, width, height);
    EXPECT_TRUE(over.left == 0 && over.top == 0 && over.right == 0 && over.bottom == 0);
    EXPECT_EQ(cropOf(cameras, t.lens, width, height), 1);
    EXPECT_TRUE(layeredCameras(CameraTrack(), {}, {}, {1, 20}, 25).empty());
}

// Mean, spread and spectrum over 1000 frames. The rate of a signal's rises through zero is the root mean square of its
// frequencies (Rice 1945), which the spectrum itself gives as well.
TEST(CameraLayers, ShakeIsAsAsked) {
    const double rate = 25;
    for (const uint32_t seed : {1U, 7U, 1234U}) {
        Shake s;
        s.on = true, s.seed = seed;
        s.px = 20, s.pxRate = 1.5, s.degrees = 4, s.degreesRate = 0.7;
        std::vector<Eigen::Vector3d> all;
        for (int i = 0; i < 1000; ++i) all.push_back(shakeAt(s, i / rate));
        for (int k = 0; k < 3; ++k) {
            const double asked = k == 2 ? 4 * std::numbers::pi / 180 : 20, askedRate = k == 2 ? 0.7 : 1.5;
            double mean = 0, square = 0;
            for (const auto& v : all) mean += v[k] / 1000;
            for (const auto& v : all) square += (v[k] - mean) * (v[k] - mean) / 1000;
            EXPECT_NEAR(mean / asked, 0, 0.05) << seed << " " << k;
            EXPECT_NEAR(std::sqrt(square) / asked, 1, 0.05) << seed << " " << k;
            // The plain sum of the Fourier transform under a Hann window.
            double power = 0, weighted = 0, outside = 0;
            for (int f = 1; f < 200; ++f) {
                std::complex<double> sum = 0;
                for (int i = 0; i < 1000; ++i)
                    sum += (0.5 - 0.5 * std::cos(2 * std::numbers::pi * i / 1000)) * (all[size_t(i)][k] - mean) *
                           std::polar(1.0, -2 * std::numbers::pi * f * i / 1000);
                const double hz = f * rate / 1000, p = std::norm(sum);
                power += p, weighted += p * hz * hz;
                if (hz < askedRate / 1.6 || hz > askedRate * 1.6) outside += p;
            }
            EXPECT_NEAR(std::sqrt(weighted / power) / askedRate, 1, 0.05) << seed << " " << k;
            EXPECT_LT(outside / power, 0.02) << "nothing beside the asked rate";
        }
        EXPECT_EQ(shakeAt(s, 3.21), shakeAt(s, 3.21)) << "the same seed, the same shake";
        Shake other = s;
        other.seed += 1;
        EXPECT_GT((shakeAt(s, 3.21) - shakeAt(other, 3.21)).norm(), 1e-3);
    }
    Shake none;
    none.px = 0, none.degrees = 0;
    EXPECT_EQ(shakeAt(none, 1.0), Eigen::Vector3d::Zero());
}

TEST(CameraLayers, OverscanIsExactToThePixel) {
    const CameraTrack t = dolly(120);
    CameraLayers layers;
    layers.shake.on = true;
    layers.shake.px = 8, layers.shake.degrees = 1.2;
    layers.look.on = true;
    layers.look.turn.keys.set(1001, {0, 0, 0});
    layers.look.turn.keys.set(1120, {0.02, -0.05, 0.01});
    const auto cameras = layeredCameras(t, {}, layers, {1001, 1120}, 25);
    const LayerOverscan over = overscanOf(cameras, t.lens, width, height);
    ASSERT_TRUE(over.possible);
    EXPECT_TRUE(over.left > 0 && over.top > 0 && over.right > 0 && over.bottom > 0);
    EXPECT_TRUE(covered(cameras, over.left, over.top, over.right, over.bottom)) << "no frame shows an edge";
    EXPECT_FALSE(covered(cameras, over.left - 1, over.top, over.right, over.bottom)) << "1 px less does";
    EXPECT_FALSE(covered(cameras, over.left, over.top - 1, over.right, over.bottom));
    EXPECT_FALSE(covered(cameras, over.left, over.top, over.right - 1, over.bottom));
    EXPECT_FALSE(covered(cameras, over.left, over.top, over.right, over.bottom - 1));
    EXPECT_NEAR(over.share(width, height),
                std::max(1 + (over.left + over.right) / double(width), 1 + (over.top + over.bottom) / double(height)),
                1e-12);
    layers.look.turn.keys.set(1060, {0, 1.9, 0});
    EXPECT_FALSE(overscanOf(layeredCameras(t, {}, layers, {1001, 1120}, 25), t.lens, width, height).possible);
}

// A picture that turns about its middle by an angle needs, at the same size, cos + sin · (the other side over this one)
// times its side.
TEST(CameraLayers, OverscanOfARollIsGeometry) {
    const CameraTrack t = dolly(2);
    CameraLayers layers;
    layers.look.on = true;
    const double roll = 4 * std::numbers::pi / 180;
    layers.look.turn.keys.set(1001, {0, 0, roll});
    const LayerOverscan over = overscanOf(layeredCameras(t, {}, layers, {1001, 1001}, 25), t.lens, width, height);
    const double wide = width * std::cos(roll) + height * std::sin(roll),
                 high = width * std::sin(roll) + height * std::cos(roll);
    EXPECT_EQ(over.left, int(std::ceil((wide - width) / 2)));
    EXPECT_EQ(over.bottom, int(std::ceil((high - height) / 2)));
    const double crop = cropOf(layeredCameras(t, {}, layers, {1001, 1001}, 25), t.lens, width, height);
    EXPECT_NEAR(crop, height / high, 1e-9);
}

TEST(CameraLayers, ShakeShiftsThePictureByItsPixels) {
    const CameraTrack t = dolly(50);
    CameraLayers layers;
    layers.shake.on = true;
    layers.shake.degrees = 0;
    for (const LayeredCamera& c : layeredCameras(t, {}, layers, {1001, 1050}, 25)) {
        const Eigen::Vector3d s = shakeAt(layers.shake, (c.frame - 1001) / 25.0);
        // What the solved camera sees in its middle lies that much farther right and down now.
        const Eigen::Vector3d ahead =
            c.pose.worldFromCamera.inverse() * (c.source.worldFromCamera * Eigen::Vector3d(0, 0, -1));
        EXPECT_NEAR(focal * ahead.x() / -ahead.z(), s.x(), 0.02 * std::fabs(s.x()) + 0.02);
        EXPECT_NEAR(-focal * ahead.y() / -ahead.z(), s.y(), 0.02 * std::fabs(s.y()) + 0.02);
    }
}

TEST(CameraLayers, PaceScaleAndBegin) {
    const CameraTrack t = dolly(100);
    CameraLayers layers;
    layers.pace.on = true;
    layers.pace.pace = 0.5;
    layers.pace.begin = 10;
    layers.pace.pathScale = 3;
    layers.pace.offset = {0, 2, 0};
    const auto cameras = layeredCameras(t, {}, layers, {1001, 1100}, 25);
    ASSERT_EQ(cameras.size(), 100U);
    EXPECT_NEAR((cameras[0].pose.position - Eigen::Vector3d(1, 3.5, 4)).norm(), 0, 1e-9);
    // 21 frames at half the pace are 10.5 of the solve; a unit of the path is three.
    EXPECT_NEAR((cameras[21].pose.position - Eigen::Vector3d(1 + 3 * 1.05, 3.5, 4)).norm(), 0, 1e-9);
    EXPECT_NEAR(cameras[21].sourceFrame, 1021.5, 1e-12);
    EXPECT_NEAR(cameras[21].pose.worldFromCamera.angularDistance(
                    Eigen::Quaterniond(Eigen::AngleAxisd(-0.002 * 20.5, Eigen::Vector3d::UnitY()))),
                0, 1e-9);
    layers.pace.pace = 4;
    EXPECT_EQ(layeredCameras(t, {}, layers, {1001, 1100}, 25).back().sourceFrame, 1100) << "it stays at its end";
}

TEST(CameraLayers, SteadyTakesTheJitterAndKeepsTheMove) {
    CameraTrack t = dolly(100);
    for (size_t i = 0; i < t.frames.size(); ++i) t.frames[i].pose.position.y() += i % 2 ? 0.02 : -0.02;
    CameraLayers layers;
    layers.steady.on = true;
    layers.steady.width = 5;
    const auto cameras = layeredCameras(t, {}, layers, {1001, 1100}, 25);
    for (size_t i = 30; i < 70; ++i) {
        EXPECT_NEAR(cameras[i].pose.position.y(), 1.5, 1e-4);
        EXPECT_NEAR(cameras[i].pose.position.x(), 0.1 * double(i), 1e-4);
        EXPECT_LT(cameras[i].pose.worldFromCamera.angularDistance(t.frames[i].pose.worldFromCamera), 1e-5);
    }
    layers.shake.on = true;
    const double crop = cropOf(layeredCameras(t, {}, layers, {1001, 1100}, 25), t.lens, width, height);
    EXPECT_TRUE(crop > 0.8 && crop < 1) << crop;
}

}  // namespace
}  // namespace va
