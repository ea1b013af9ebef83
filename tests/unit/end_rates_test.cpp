// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/end_rates.h"

#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <cmath>

#include "solve/solver.h"
#include "synthetic_shot.h"

namespace va {
namespace {

using test::lookAlong;
using test::makeSyntheticShot;
using test::SyntheticOptions;
using test::SyntheticShot;

constexpr double readout = 0.7;
constexpr int frameCount = 30;

/// A hand that trembles with a period of six frames: 4 Hz at 25 frames a second (physiologic tremor and the shake of a
/// walk lie between 2 and 12 Hz, from memory).
CameraPose trembling(double t) {
    const double w = 2 * M_PI / 6 * (frameCount - 1);
    return lookAlong({-2 + 4 * t, 0.2 * t, 0.5 * t}, 0.1 - 0.2 * t + 0.004 * std::sin(w * t + 0.4),
                     0.003 * std::sin(1.2 * w * t + 1));
}

SyntheticShot tremblingShot() {
    SyntheticOptions o;
    o.frames = frameCount, o.points = 300;
    o.noisePx = 0.1;
    o.readout = readout;
    o.camera = trembling;
    return makeSyntheticShot(o);
}

/// The truth, but for how the camera moved within its frames.
Reconstruction truthOf(const SyntheticShot& s, int frames) {
    Reconstruction r(layOut(s.paths, s.request.frames, s.request.width, s.request.height, 0, 1), s.lens);
    for (FrameIndex f(0); f < FrameIndex(frames); ++f) r.setView(f, viewFromPose(s.cameras[size_t(f)]));
    for (int p = 0; p < r.observations().pathCount(); ++p)
        r.setPoint(p, s.points[size_t(r.observations().pathIds[size_t(p)] - 1)]);
    r.setReadout(readout, false);
    return r;
}

/// Angle in degrees between where the camera looked when a row was read and where the rate says that it did.
double errorAtRow(const Reconstruction& r, FrameIndex f, double row) {
    const int height = r.observations().height;
    const View is = viewAtRow(*r.views()[f], r.rates()[f], readout, row, height);
    const double late = readout * (row / (height - 1) - 0.5);
    const View should = viewFromPose(trembling((f.value() + late) / (frameCount - 1)));
    return Eigen::AngleAxisd(is.rotation * should.rotation.transpose()).angle() * 180 / M_PI;
}

double worstOf(const Reconstruction& r, FrameIndex f) {
    return std::max(errorAtRow(r, f, 0), errorAtRow(r, f, r.observations().height - 1.0));
}

TEST(EndRates, AShakeIsReadFromTheRowsWhereNeighboursStandOnOneSide) {
    const SyntheticShot s = tremblingShot();
    Reconstruction r = truthOf(s, frameCount);
    const Reconstruction before = r;
    measureEndRates(r);
    // A hundredth of a degree is a fifth of a pixel here.
    for (const int f : {0, 1, frameCount - 2, frameCount - 1}) EXPECT_LT(worstOf(r, FrameIndex(f)), 0.01) << f;
    for (const int f : {0, frameCount - 1})
        EXPECT_GT(worstOf(before, FrameIndex(f)), 10 * worstOf(r, FrameIndex(f))) << f;
    EXPECT_EQ(r.measuredRates().size(), 6U);
    // Where both sides are there nothing is touched.
    EXPECT_EQ(r.rates()[FrameIndex(12)].first, before.rates()[FrameIndex(12)].first);
    // Taken as told when the views are looked at again.
    const ViewRate::Move measured = r.rates()[FrameIndex(0)].first;
    r.updateRates();
    EXPECT_EQ(r.rates()[FrameIndex(0)].first, measured);
}

TEST(EndRates, WrongPathsDoNotLeadIt) {
    SyntheticOptions o;
    o.frames = frameCount, o.points = 300;
    o.noisePx = 0.1, o.outlierShare = 0.2;
    o.readout = readout;
    o.camera = trembling;
    Reconstruction r = truthOf(makeSyntheticShot(o), frameCount);
    measureEndRates(r);
    for (const int f : {0, frameCount - 1}) EXPECT_LT(worstOf(r, FrameIndex(f)), 0.015) << f;
}

TEST(EndRates, OfAPanAsWell) {
    SyntheticOptions o;
    o.frames = frameCount, o.points = 300;
    o.noisePx = 0.1;
    o.readout = readout;
    o.camera = [](double t) {
        CameraPose pose = trembling(t);
        pose.position.setZero();
        return pose;
    };
    SyntheticShot s = makeSyntheticShot(o);
    s.request.readoutKnown = Known::known;
    s.request.readout = readout;
    Progress progress;
    const SolveResult r = solveShot(s.paths, s.request, progress);
    ASSERT_EQ(r.motion, Motion::nodalPan);
    const auto rotationAt = [&](int frame, double row) {
        return Eigen::Quaterniond(r.cameraAt(s.request.frames[size_t(frame)])->poseAtRow(row).worldFromCamera);
    };
    const auto trueAt = [&](int frame, double row) {
        const double late = readout * (row / (o.height - 1) - 0.5);
        return Eigen::Quaterniond(o.camera((frame + late) / (frameCount - 1)).worldFromCamera);
    };
    // Against the middle frame, since the world's axes are free.
    const Eigen::Quaterniond world = rotationAt(frameCount / 2, 0) * trueAt(frameCount / 2, 0).conjugate();
    for (const int f : {0, 1, frameCount - 2, frameCount - 1}) {
        EXPECT_TRUE(r.frames[size_t(f)].rate.has_value()) << f;
        for (const double row : {0.0, o.height - 1.0})
            EXPECT_LT(rotationAt(f, row).angularDistance(world * trueAt(f, row)) * 180 / M_PI, 0.02) << f;
    }
    EXPECT_FALSE(r.frames[size_t(frameCount / 2)].rate.has_value());
}

TEST(EndRates, NothingIsMeasuredWithoutRowsOrWithTooFewFrames) {
    const SyntheticShot s = tremblingShot();
    Reconstruction few = truthOf(s, 7);
    const ViewRate::Move had = few.rates()[FrameIndex(0)].first;
    measureEndRates(few);
    EXPECT_TRUE(few.measuredRates().empty());
    EXPECT_EQ(few.rates()[FrameIndex(0)].first, had);
    Reconstruction atOnce = truthOf(s, frameCount);
    atOnce.setReadout(0, false);
    measureEndRates(atOnce);
    EXPECT_TRUE(atOnce.measuredRates().empty());
    EXPECT_TRUE(atOnce.rates().empty());
}

}  // namespace
}  // namespace va
