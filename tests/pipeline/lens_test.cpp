// SPDX-License-Identifier: GPL-3.0-or-later
// The ways to a lens on the demo data, against its truth: a chart, straight edges, the solve.
#include <gtest/gtest.h>

#include <Eigen/Dense>
#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/atomic_file.h"
#include "base/error.h"
#include "exchange/camera_json.h"
#include "judge.h"
#include "lens/convert_lens.h"
#include "path_truth.h"
#include "shot/lens_json.h"
#include "workflow/lens_work.h"
#include "workflow/match_shot.h"
#include "workflow/track_shot.h"
#include "workflow/undistort_first.h"
#include "workflow/verdict.h"

namespace va {
namespace {

const std::string data = std::string(VA_SOURCE_DIR) + "/demo/data/";
const std::string wide = data + "wide-yard/wide-yard.mp4", wideTruth = data + "wide-yard/wide-yard.truth.json";

Intrinsics trueChartLens() {
    const auto j = nlohmann::json::parse(readFile(data + "lens-chart/lens-chart.truth.json"));
    Intrinsics out;
    out.focalPx = j.at("focal_px");
    out.principalPoint = {j.at("principal_point_px")[0].get<double>(), j.at("principal_point_px")[1].get<double>()};
    out.lens = lensFromJson(j.at("lens"));
    return out;
}

/// Undistortion maps of two lenses over the frame: where each puts a pixel, in its own px from its own axis, less the
/// turn of the camera that makes them agree best (a shift of the principal point is such a rotation).
struct MapError {
    double rms = 0, worst = 0;
    double plateWorst = 0;  ///< the same distances as the plate shows them: distorted again
};
MapError mapError(const Intrinsics& a, const Intrinsics& b, int width, int height) {
    MapError out;
    std::vector<Eigen::Vector3d> ours, theirs;
    Eigen::Matrix3d together = Eigen::Matrix3d::Zero();
    for (int j = 0; j <= 36; ++j)
        for (int i = 0; i <= 64; ++i) {
            const Eigen::Vector2d pixel(i * (width - 1) / 64.0, j * (height - 1) / 36.0);
            const auto p = a.normalisedFromPixel(pixel), q = b.normalisedFromPixel(pixel);
            if (!p || !q) return {1e9, 1e9, 1e9};
            // Focal lengths are judged on their own: here each counts in its own px.
            ours.push_back(Eigen::Vector3d(p->x(), p->y(), 1));
            theirs.push_back(Eigen::Vector3d(q->x() * b.focalPx / a.focalPx, q->y() * b.focalPx / a.focalPx, 1));
            together += theirs.back().normalized() * ours.back().normalized().transpose();
        }
    const Eigen::JacobiSVD<Eigen::Matrix3d> svd(together, Eigen::ComputeFullU | Eigen::ComputeFullV);
    const Eigen::Matrix3d rotation = svd.matrixV() * svd.matrixU().transpose();
    for (size_t i = 0; i < ours.size(); ++i) {
        const Eigen::Vector3d turned = rotation * theirs[i];
        const double e = a.focalPx * (turned.hnormalized() - ours[i].hnormalized()).norm();
        out.rms += e * e / double(ours.size());
        out.worst = std::max(out.worst, e);
        out.plateWorst = std::max(
            out.plateWorst,
            (a.pixelFromNormalised(turned.hnormalized()) - a.pixelFromNormalised(ours[i].hnormalized())).norm());
    }
    out.rms = std::sqrt(out.rms);
    return out;
}

Shot matched(const std::function<void(Shot&)>& prepare = {}) {
    Shot shot = withPlate(Shot(), wide);
    if (prepare) prepare(shot);
    Progress progress;
    return matchShot(shot, progress);
}

Judgement judged(const Shot& shot) {
    const Judgement j = judge(writeCameraJson(gatherExport(shot, "")), readFile(wideTruth));
    std::printf("%s\n", j.line().c_str());
    return j;
}

Shot withDemoChart() {
    Shot shot = withPlate(Shot(), wide);
    for (int i = 1; i <= 14; ++i) {
        char name[64];
        std::snprintf(name, sizeof name, "lens-chart/lens-chart.%02d.jpg", i);
        shot.chartStills.push_back(data + name);
    }
    Progress progress;
    return withChart(shot, progress);
}

TEST(LensChart, DemoStillsGiveTheTrueLens) {
    const Shot shot = withDemoChart();
    const ChartCalibration& c = *shot.chart;
    ASSERT_EQ(c.trouble, "");
    EXPECT_EQ(c.stills.size(), 14u);
    const Intrinsics truth = trueChartLens();
    const MapError map = mapError(truth, c.lens, c.width, c.height);
    const double focal = std::fabs(c.lens.focalPx / truth.focalPx - 1) * 100;
    std::printf(
        "RMS %.4f px, focal %.4f %%, map RMS %.4f worst %.4f, in the plate %.4f px, principal %.3f px, cover %.2f\n",
        c.rmsPx, focal, map.rms, map.worst, map.plateWorst, (c.lens.principalPoint - truth.principalPoint).norm(),
        c.cover);
    EXPECT_LE(focal, 0.1);
    EXPECT_LE(map.plateWorst, 0.1);
    EXPECT_LE(map.worst, 0.2) << "undistorted, where the corners are twice as large";
    // What it says of its own uncertainty is true.
    ASSERT_EQ(c.uncertainty.front().name, "focal");
    EXPECT_LT(std::fabs(c.uncertainty.front().value - truth.focalPx), 5 * c.uncertainty.front().sigma);
    const Shot taken = withChartLens(shot);
    EXPECT_EQ(taken.priors.distortion, Known::known);
    EXPECT_NEAR(taken.givenLens().focalPx, c.lens.focalPx, 1e-9);
}

TEST(LensChart, StillsOfMixedSizesAndWithoutAChartAreSaid) {
    Shot shot = withPlate(Shot(), wide);
    Progress progress;
    EXPECT_THROW((void)withChart(shot, progress), InputError);
    EXPECT_THROW((void)withChartLens(shot), InputError);
    shot.chartStills = {data + "lens-chart/lens-chart.01.jpg", data + "jib/jib.1001.jpg"};
    try {
        (void)withChart(shot, progress);
        FAIL();
    } catch (const InputError& e) {
        EXPECT_NE(std::string(e.what()).find("one size"), std::string::npos) << e.what();
    }
    // No chart in any of them: a trouble, and nothing lost.
    shot.chartStills = {data + "jib/jib.1001.jpg", data + "jib/jib.1002.jpg"};
    const Shot none = withChart(shot, progress);
    EXPECT_NE(none.chart->trouble, "");
    EXPECT_EQ(none.chartStills.size(), 2u);
    EXPECT_THROW((void)withChartLens(none), InputError);
}

/// From one frame's proposals, nothing accepted and nothing known. `said` is the error that it expects of itself.
MapError edgesAgainstTruth(double& said, const std::string& plate, const std::string& truthFile, int frame) {
    Progress progress;
    std::string sentence;
    Shot shot = withEdgesFound(withPlate(Shot(), plate), frame, progress);
    const Intrinsics truth = test::readTrueCameras(truthFile).lens;
    shot = withLensFromEdges(shot, progress, &sentence);
    Intrinsics found = shot.givenLens();
    // Edges do not tell the focal length: the same distortion in px, for the true one.
    found.lens = distortionForFocal(found.lens, truth.focalPx / found.focalPx);
    found.focalPx = truth.focalPx;
    const MapError e = mapError(truth, found, shot.plate.width, shot.plate.height);
    said = std::atof(sentence.c_str() + sentence.find("sure to ") + 8);
    std::printf("%d edges, map RMS %.3f worst %.3f px; %s\n", int(shot.edges.size()), e.rms, e.worst, sentence.c_str());
    return e;
}

TEST(StraightEdges, OneFrameGivesTheDistortionOfAWideLens) {
    double said = 0;
    const MapError e = edgesAgainstTruth(said, wide, wideTruth, 1001);
    EXPECT_LE(e.worst, 1.0);
    EXPECT_LE(e.worst, 3 * said);
}

// A mild lens distorts the yard's edges by less than planks and hulls are curved: what comes of it is told with its
// error.
TEST(StraightEdges, AMildLensIsNotClaimedToBeSure) {
    double said = 0;
    const MapError e = edgesAgainstTruth(said, data + "slipway/slipway.mp4", data + "slipway/slipway.truth.json", 1060);
    EXPECT_LE(e.worst, 2.5 * said);
    EXPECT_LE(e.worst, 6);
}

TEST(UndistortFirst, OnlyWhereTheLensDistortsStrongly) {
    for (const char* clip : {"slipway/slipway.mp4", "jib", "mast-top/mast-top.mp4"}) {
        const Shot shot = withPlate(Shot(), data + clip);
        EXPECT_FALSE(lensToTrackBy(shot, *openPlate(shot.plateSpec))) << clip;
    }
    Shot shot = withPlate(Shot(), wide);
    const auto guess = lensToTrackBy(shot, *openPlate(wide));
    ASSERT_TRUE(guess);
    EXPECT_TRUE(distortsStrongly(*guess, 960, 540));
    // A known lens without a distortion is the artist's word.
    shot.priors.distortion = Known::known;
    EXPECT_FALSE(lensToTrackBy(shot, *openPlate(wide)));
    // A mild one only when asked for; one that folds over is never used, and said where it was asked for.
    shot.priors.lens = LensModel::brownConrady(-0.02);
    EXPECT_FALSE(lensToTrackBy(shot, *openPlate(wide)));
    shot.trackUndistorted = true;
    EXPECT_TRUE(lensToTrackBy(shot, *openPlate(wide)));
    shot.priors.lens = LensModel::brownConrady(-3);
    shot.range = {1001, 1002};
    Progress progress;
    EXPECT_THROW((void)withPaths(shot, progress), InputError) << "asked for, and can't be";
    shot.trackUndistorted = false;
    EXPECT_FALSE(lensToTrackBy(shot, *openPlate(wide)));
}

TEST(WideYard, UnknownLensIsSolved) {
    const Shot shot = matched();
    ASSERT_EQ(shot.solve->motion, Motion::free);
    const Judgement j = judged(shot);
    EXPECT_EQ(j.solved, 80);
    EXPECT_LE(j.stickPx, 0.07);
    EXPECT_LE(j.focalPercent, 0.5);
    const MapError map = mapError(test::readTrueCameras(wideTruth).lens, shot.solve->lens, 960, 540);
    std::printf("map RMS %.3f worst %.3f px, said ±%.3f\n", map.rms, map.worst, shot.solve->lensMapSigmaPx);
    EXPECT_LE(map.rms, 0.2);
    EXPECT_LE(map.worst, 0.5);
    EXPECT_LT(shot.solve->distortionRefusedPx, 0);
    EXPECT_GT(shot.solve->lensMapSigmaPx, 0);
    ASSERT_EQ(shot.solve->lensNumbers.size(), 3u);
}

TEST(WideYard, TheChartsLensIsUsed) {
    const Shot chart = withChartLens(withDemoChart());
    const Shot shot = matched([&](Shot& s) { s.priors = chart.priors; });
    ASSERT_EQ(shot.solve->motion, Motion::free);
    EXPECT_TRUE(shot.solve->lens.lens == chart.priors.lens) << "known is known";
    const Judgement j = judged(shot);
    EXPECT_EQ(j.solved, 80);
    EXPECT_LE(j.stickPx, 0.07);
    EXPECT_LE(j.focalPercent, 0.1);
}

TEST(FewFrames, RefuseADistortionThatTheyDoNotTell) {
    Shot shot = withPlate(Shot(), data + "jib");
    shot.range = {1001, 1004};
    Progress progress;
    const Shot alone = matchShot(shot, progress);
    ASSERT_EQ(alone.solve->motion, Motion::free);
    EXPECT_GT(alone.solve->distortionRefusedPx, 0.25);
    EXPECT_TRUE(alone.solve->lens.lens.isZero()) << alone.solve->lens.lens.brief();
    const Verdict v = verdictOn(alone, Step::lens);
    EXPECT_EQ(v.lamp, Lamp::look);
    EXPECT_NE(v.sentence.find("taken as none"), std::string::npos) << v.sentence;
    // A start value is kept instead.
    shot.priors.distortion = Known::start;
    shot.priors.lens = LensModel::brownConrady(-0.03);
    const Shot started = matchShot(shot, progress);
    ASSERT_EQ(started.solve->motion, Motion::free);
    EXPECT_NEAR(largestDistortionPx(started.solve->lens, 640, 360), largestDistortionPx(shot.givenLens(), 640, 360),
                1.5);
}

TEST(WideYard, EdgesAreAStartForFewFrames) {
    Progress progress;
    Shot shot = withEdgesFound(withPlate(Shot(), wide), 1001, progress);
    shot = withLensFromEdges(shot, progress);
    EXPECT_EQ(shot.priors.distortion, Known::start);
    shot.range = {1001, 1020};
    const Shot solved = matchShot(shot, progress);
    ASSERT_EQ(solved.solve->motion, Motion::free);
    EXPECT_EQ(solved.solve->solvedCount(), 20);
    Intrinsics found = solved.solve->lens;
    const Intrinsics truth = test::readTrueCameras(wideTruth).lens;
    // The distortion in px; the focal length of twenty frames is another matter.
    found.lens = distortionForFocal(found.lens, truth.focalPx / found.focalPx);
    found.focalPx = truth.focalPx;
    const MapError map = mapError(truth, found, 960, 540);
    std::printf("20 frames with edges: map RMS %.3f worst %.3f, focal %.1f\n", map.rms, map.worst,
                solved.solve->lens.focalPx);
    EXPECT_LE(map.worst, 4);
}

TEST(WideYard, UndistortedTrackingLiesOnThePlate) {
    const Shot chart = withChartLens(withDemoChart());
    Shot shot = withPlate(Shot(), wide);
    shot.priors = chart.priors;
    shot.trackUndistorted = true;
    Progress progress;
    const Shot solved = matchShot(shot, progress);
    ASSERT_EQ(solved.solve->motion, Motion::free);
    for (const Path& p : *solved.paths)
        for (const PathPoint& q : p.points) {
            EXPECT_GE(q.x, 0);
            EXPECT_LE(q.x, 959);
            EXPECT_GE(q.y, 0);
            EXPECT_LE(q.y, 539);
        }
    const Judgement j = judged(solved);
    EXPECT_EQ(j.solved, 80);
    EXPECT_LE(j.stickPx, 0.07);
}

TEST(UndistortedExport, TheUndistortedFramesCameraSeesWhatTheDistortedOneSees) {
    Shot shot = withPlate(Shot(), data + "jib");
    Progress progress;
    shot = matchShot(shot, progress);
    ASSERT_EQ(shot.solve->motion, Motion::free);
    const SceneExport distorted = gatherExport(shot, ""), undistorted = undistortedScene(distorted, Overscan::whole);
    EXPECT_GT(undistorted.width, distorted.width);
    EXPECT_TRUE(undistorted.lens.isZero());
    // The same directions: focal length in px stays, so mm stay, and the sensor grows with the frame.
    EXPECT_NEAR(undistorted.focalMm(undistorted.frames.front()), distorted.focalMm(distorted.frames.front()), 1e-9);
    const Intrinsics a = distorted.intrinsics(distorted.frames.front()),
                     b = undistorted.intrinsics(undistorted.frames.front());
    const auto corner = a.normalisedFromPixel({0, 0});
    ASSERT_TRUE(corner);
    const Eigen::Vector2d seen = b.pixelFromNormalised(*corner);
    EXPECT_GE(seen.x(), -0.5);
    EXPECT_GE(seen.y(), -0.5);
}

}  // namespace
}  // namespace va
