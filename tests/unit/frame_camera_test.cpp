// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/frame_camera.h"

#include <gtest/gtest.h>

#include <random>

#include "solve/minimal/resect.h"
#include "solve/solve_result.h"
#include "synthetic_shot.h"

namespace va {
namespace {

/// A solve that is the truth of a made-up shot whose rows are read over `readout` of a frame.
struct Truth {
    test::SyntheticShot shot;
    SolveResult solve;
};
Truth truthWith(double readout) {
    test::SyntheticOptions o;
    o.frames = 30;
    o.noisePx = 0;
    o.readout = readout;
    o.camera = [](double t) {
        return test::lookAlong({-2 + 4 * t, 1.5 + 0.2 * std::sin(9 * t), 0}, 0.2 - 0.5 * t + 0.02 * std::sin(14 * t),
                               0.03 * std::cos(11 * t));
    };
    Truth out{test::makeSyntheticShot(o), {}};
    out.solve.motion = Motion::free;
    out.solve.lens = out.shot.lens;
    out.solve.readout = readout;
    out.solve.height = o.height;
    for (int f = 0; f < o.frames; ++f) {
        SolvedFrame frame;
        frame.frame = 1001 + f;
        frame.solved = true;
        frame.pose = out.shot.cameras[size_t(f)];
        frame.focalPx = out.shot.lens.focalPx;
        out.solve.frames.push_back(frame);
    }
    return out;
}

class FrameCameraAt : public ::testing::TestWithParam<double> {};

TEST_P(FrameCameraAt, SeesPointsWhereThePathsAre) {
    const Truth t = truthWith(GetParam());
    double worst = 0;
    int n = 0;
    for (const Path& p : t.shot.paths)
        for (const PathPoint& q : p.points) {
            // At the ends rates are one-sided.
            if (q.frame < 1004 || q.frame > 1027) continue;
            const auto at = t.solve.cameraAt(q.frame)->project(t.shot.points[size_t(p.id - 1)]);
            ASSERT_TRUE(at);
            worst = std::max(worst, (*at - Eigen::Vector2d(q.x, q.y)).norm());
            ++n;
        }
    ASSERT_GT(n, 2000);
    EXPECT_LT(worst, 0.02);
}

TEST_P(FrameCameraAt, RaysGoBackThroughWhatIsSeen) {
    const Truth t = truthWith(GetParam());
    // In a world that is turned, moved and three times as large.
    const Similarity world{
        3, Eigen::Quaterniond(Eigen::AngleAxisd(1, Eigen::Vector3d(1, 2, -1).normalized())), {5, -7, 2}};
    for (const int frame : {1001, 1010, 1030}) {
        const FrameCamera camera = *t.solve.cameraAt(frame, world);
        for (size_t i = 0; i < t.shot.points.size(); i += 7) {
            const Eigen::Vector3d there = world.point(t.shot.points[i]);
            const auto pixel = camera.project(there);
            const auto inSolve = t.solve.seen(frame, t.shot.points[i]);
            if (!pixel) continue;
            ASSERT_TRUE(inSolve);
            EXPECT_LT((*pixel - *inSolve).norm(), 1e-9) << "whatever the world";
            const auto ray = camera.ray(*pixel);
            ASSERT_TRUE(ray);
            EXPECT_NEAR(ray->direction.norm(), 1, 1e-12);
            const Eigen::Vector3d away = there - ray->origin;
            // The row that project() settled on is good to a hundredth of a pixel.
            EXPECT_LT((away - away.dot(ray->direction) * ray->direction).norm(), 1e-4 * away.norm());
        }
    }
}

INSTANTIATE_TEST_SUITE_P(Readouts, FrameCameraAt, ::testing::Values(0.0, 0.7));

TEST(FrameCamera, FootprintIsWhatAPixelCovers) {
    const Intrinsics lens{1000, 1, {639.5, 359.5}, LensModel()};
    const FrameCamera camera(CameraPose(), lens);
    EXPECT_NEAR(camera.footprint({0, 0, -5}), 0.005, 1e-12);
    EXPECT_EQ(camera.footprint({0, 0, 5}), 0) << "behind";
    const auto a = camera.project({0, 0, -5}), b = camera.project({0, 0.005, -5});
    EXPECT_NEAR((*a - *b).norm(), 1, 1e-9);
}

TEST(FrameCamera, NoCameraWhereNothingIsSolved) {
    Truth t = truthWith(0);
    t.solve.frames[3].solved = false;
    EXPECT_FALSE(t.solve.cameraAt(1004));
    EXPECT_FALSE(t.solve.cameraAt(900));
    EXPECT_FALSE(SolveResult().cameraAt(1));
}

}  // namespace
}  // namespace va
