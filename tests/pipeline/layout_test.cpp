// SPDX-License-Identifier: GPL-3.0-or-later
// Things on the surfaces of a solved clip: do they stick, by the plate's own pictures and by the true camera.
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "base/atomic_file.h"
#include "media/plate_source.h"
#include "workflow/layout_work.h"
#include "workflow/match_shot.h"
#include "workflow/stick_strip.h"

namespace va {
namespace {

const std::string demo = std::string(VA_SOURCE_DIR) + "/demo/data/";

class Sticking : public ::testing::Test {
  protected:
    static const Shot& slipway() {
        static const Shot shot = [] {
            Progress progress;
            return matchShot(withPlate(Shot(), demo + "slipway/slipway.mp4"), progress);
        }();
        return shot;
    }
    static Luma read(int frame) {
        static const auto source = openPlate(demo + "slipway/slipway.mp4");
        return source->luma(frame);
    }
    static StickSpot spotAt(const Eigen::Vector3d& place, const Eigen::Vector3d& normal) {
        return {[place](int) { return std::optional(place); }, [normal](int) { return normal; }};
    }
};

// The clip's pictures are compressed: of a place that sticks perfectly they show about 0.1 px.
TEST_F(Sticking, WhatIsPlacedOnTheSlipwaySticks) {
    const Shot& shot = slipway();
    Progress progress;
    std::vector<double> before, after;
    for (const double y : {0.76, 0.91})
        for (double x = 0.46; x < 0.97; x += 0.16) {
            const auto place = placeAt(shot, 1060, {x * 1280, y * 720});
            ASSERT_TRUE(place);
            const StickSpot spot = spotAt(place->foot, place->normal);
            const auto settled = settledPlace(shot, spot, shot.frames(), read, 1060, progress);
            ASSERT_TRUE(settled) << x << " " << y;
            before.push_back(stickStrip(shot, spot, shot.frames(), read, 1060, progress).wobblePx);
            after.push_back(
                stickStrip(shot, spotAt(*settled, place->normal), shot.frames(), read, 1060, progress).wobblePx);
            std::printf("%.2f %.2f: %.2f px by features, %.2f px settled\n", x, y, before.back(), after.back());
            EXPECT_GE(after.back(), 0);
            // What settles never makes it worse.
            EXPECT_LE(after.back(), before.back() + 0.02) << x << " " << y;
        }
    std::sort(before.begin(), before.end());
    std::sort(after.begin(), after.end());
    EXPECT_LE(after[after.size() / 2], 0.3);
    EXPECT_LE(after[after.size() / 2], 0.3 * before[before.size() / 2]);
    // On the sign, which is flat and painted.
    const auto sign = placeAt(shot, 1060, {0.1 * 1280, 0.42 * 720});
    ASSERT_TRUE(sign);
    EXPECT_LT(std::fabs(sign->normal.y()), 0.1) << "a wall";
    EXPECT_LE(stickStrip(shot, spotAt(sign->foot, sign->normal), shot.frames(), read, 1060, progress).wobblePx, 0.1);
}

// A camera that is wrong on purpose: its path is bent by a tenth of a degree of pan and its focal length by 2 %. What
// the strip measures at a place is what the place truly slides by there: its true way in the picture, through the true
// camera, against where the wrong camera puts it.
TEST_F(Sticking, TheStripMeasuresTheTrueSlideOfAWrongCamera) {
    const Shot& good = slipway();
    Progress progress;
    const Eigen::Vector2d pixel(0.78 * 1280, 0.86 * 720);
    const auto place = placeAt(good, 1060, pixel);
    ASSERT_TRUE(place);
    const auto settled = settledPlace(good, spotAt(place->foot, place->normal), good.frames(), read, 1060, progress);
    ASSERT_TRUE(settled);
    for (const double pan : {0.1, 0.4}) {
        Shot wrong = good;
        auto solve = std::make_shared<SolveResult>(*good.solve);
        for (SolvedFrame& f : solve->frames) {
            const double t = (f.frame - 1001) / 119.0, angle = pan * M_PI / 180 * std::sin(6 * t);
            f.pose.worldFromCamera =
                (f.pose.worldFromCamera * Eigen::Quaterniond(Eigen::AngleAxisd(angle, Eigen::Vector3d::UnitY())))
                    .normalized();
        }
        wrong.solve = solve;
        const StickStrip strip =
            stickStrip(wrong, spotAt(*settled, place->normal), wrong.frames(), read, 1060, progress);
        // The true slide: the surface where the good camera (0.02 px of stick) sees it, against the wrong one.
        std::vector<Eigen::Vector2d> slide;
        Eigen::Vector2d mean = Eigen::Vector2d::Zero();
        for (const int f : strip.frames) {
            const auto a = good.cameraAt(f)->project(*settled), b = wrong.cameraAt(f)->project(*settled);
            if (a && b) slide.push_back(*a - *b), mean += *a - *b;
        }
        mean /= double(slide.size());
        double square = 0;
        for (const Eigen::Vector2d& s : slide) square += (s - mean).squaredNorm() / double(slide.size());
        std::printf("pan %.1f: measured %.2f px, true %.2f px: %s\n", pan, strip.wobblePx, std::sqrt(square),
                    strip.sentence.c_str());
        EXPECT_NEAR(strip.wobblePx / std::sqrt(square), 1, 0.2) << pan;
    }
}

TEST_F(Sticking, PlacesThatCantBeJudgedSaySo) {
    const Shot& shot = slipway();
    Progress progress;
    // Behind the camera; in the sky, where nothing has texture.
    const StickStrip behind =
        stickStrip(shot, spotAt({0, 0, 500}, {0, 1, 0}), shot.frames(), read, std::nullopt, progress);
    EXPECT_LT(behind.wobblePx, 0);
    EXPECT_NE(behind.sentence.find("seen in 0 frames"), std::string::npos) << behind.sentence;
    EXPECT_FALSE(settledPlace(shot, spotAt({0, 0, 500}, {0, 1, 0}), shot.frames(), read, 1060, progress));
    Progress stopped;
    stopped.cancel();
    EXPECT_THROW((void)stickStrip(shot, spotAt({0, 0, -2}, {0, 1, 0}), shot.frames(), read, 1060, stopped), Cancelled);
}

}  // namespace
}  // namespace va
