// SPDX-License-Identifier: GPL-3.0-or-later
// Reference stills from picture to camera: the demo's nodal pan with two photos, and published pairs of photos.
#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <filesystem>

#include "base/atomic_file.h"
#include "base/error.h"
#include "exchange/camera_json.h"
#include "judge.h"
#include "shot/shot_file.h"
#include "workflow/gather_scene.h"
#include "workflow/match_shot.h"
#include "workflow/stale.h"
#include "workflow/still_work.h"
#include "workflow/track_shot.h"
#include "workflow/verdict.h"

namespace va {
namespace {

const std::string data = std::string(VA_SOURCE_DIR) + "/demo/data/";
/// Photos of Debian's package opencv-doc (OpenCV samples, Apache-2.0).
const std::string samples = "/usr/share/doc/opencv-doc/examples/data/";

Shot matched(const std::string& plate, const std::vector<std::string>& stills,
             const std::function<void(Shot&)>& prepare = {}) {
    // A photo whose name ends in a number would be read as one of a series.
    Shot shot = withPlate(Shot(), plate);
    for (const std::string& s : stills) shot = withStill(shot, s);
    if (prepare) prepare(shot);
    Progress progress;
    return matchShot(shot, progress);
}

TEST(Stills, TwoPhotosGiveDepthToANodalPan) {
    const Shot shot = matched(data + "mast-top/mast-top.mp4", {data + "mast-top-stills/mast-top-stills.01.jpg",
                                                               data + "mast-top-stills/mast-top-stills.02.jpg"});
    EXPECT_EQ(shot.solve->motion, Motion::nodalPan);
    ASSERT_TRUE(shot.solve->hasDepth()) << verdictOn(shot, Step::solve).sentence;
    EXPECT_FALSE(stalenessOf(shot).solve);
    EXPECT_EQ(verdictOn(shot, Step::solve).lamp, Lamp::good) << verdictOn(shot, Step::solve).sentence;
    const SceneExport scene = gatherScene(shot);
    const StillsJudgement j = judgeStills(writeCameraJson(scene), readFile(data + "mast-top/mast-top.truth.json"),
                                          readFile(data + "mast-top-stills/mast-top-stills.truth.json"));
    std::printf("stick %.4f px  shape %.4f px  focal %.3f %%  place %.3f %%\n", j.stickPx, j.shapePx,
                j.worstFocalPercent, j.worstPlacePercent);
    EXPECT_EQ(j.stills, 2);
    EXPECT_GT(j.stickPx, 0);
    EXPECT_LE(j.stickPx, 0.1);
    EXPECT_LE(j.shapePx, 0.3);
    EXPECT_LE(j.worstFocalPercent, 0.5);
    EXPECT_LE(j.worstPlacePercent, 0.6);
    // The world that comes of it, within what it says of itself.
    EXPECT_TRUE(shot.ground->level);
    const Judgement world = judge(writeCameraJson(scene), readFile(data + "mast-top/mast-top.truth.json"));
    EXPECT_LE(world.levelDeg, std::max(0.3, 3 * world.levelSigmaDeg));
    // Read back from a project it is the same, and from a camera.json.
    const Shot again = shotFromText(shotToText(shot, {}), "again.vanchor");
    EXPECT_EQ(again.stills, shot.stills);
    ASSERT_EQ(again.solve->stills.size(), 2U);
    EXPECT_EQ(again.solve->stills[0].used, shot.solve->stills[0].used);
    EXPECT_EQ(again.solve->stills[1].pose.position, shot.solve->stills[1].pose.position);
    EXPECT_FALSE(stalenessOf(again).solve);
    const SceneExport read = readCameraJson(writeCameraJson(scene), "camera.json");
    ASSERT_EQ(read.stills.size(), 2U);
    EXPECT_EQ(read.stills[0].name, "mast-top-stills.01");
    EXPECT_NEAR(read.stills[0].lens.focalPx, shot.solve->stills[0].lens.focalPx, 1e-9);
    // Solved again without looking for marks anew: much the same (the pan's solve has the new features now).
    Progress progress;
    const Shot anew = withSolve(shot, progress);
    EXPECT_NEAR(double(anew.solve->points.size()) / double(shot.solve->points.size()), 1, 0.05);
    // Features tracked anew have other numbers: the marks of the old ones go, and are found again.
    const Shot tracked = withPathsAnew(shot, progress);
    EXPECT_TRUE(tracked.stills[0].marks.empty() && tracked.stills[1].marks.empty());
    EXPECT_TRUE(stillsWantMatches(tracked));
    // Without them it is a nodal pan again.
    Shot off = shot;
    for (ReferenceStill& s : off.stills) s.on = false;
    off = withSolve(off, progress);
    EXPECT_FALSE(off.hasWorld());
    EXPECT_NE(verdictOn(off, Step::solve).sentence.find("Nodal pan"), std::string::npos);
}

// A nodal pan that zooms, with three photos by two other cameras.
TEST(Stills, ThreePhotosGiveDepthToAZoomingPan) {
    const Shot shot = matched(data + "lookout/lookout.mp4",
                              {data + "mast-top-stills/mast-top-stills.01.jpg",
                               data + "mast-top-stills/mast-top-stills.02.jpg", data + "shed/shed.jpg"});
    EXPECT_EQ(shot.solve->motion, Motion::nodalPan);
    EXPECT_TRUE(shot.solve->zooms);
    ASSERT_TRUE(shot.solve->hasDepth()) << verdictOn(shot, Step::solve).sentence;
    for (const SolvedStill& s : shot.solve->stills) EXPECT_TRUE(s.solved) << s.id;
    const std::string camera = writeCameraJson(gatherScene(shot));
    const StillsJudgement j = judgeStills(camera, readFile(data + "lookout/lookout.truth.json"),
                                          readFile(data + "mast-top-stills/mast-top-stills.truth.json"));
    std::printf("stick %.4f px  shape %.4f px  focal %.3f %%  place %.3f %%\n", j.stickPx, j.shapePx,
                j.worstFocalPercent, j.worstPlacePercent);
    EXPECT_GT(j.stickPx, 0);
    EXPECT_LE(j.stickPx, 0.1);
    EXPECT_LE(j.worstFocalPercent, 0.5);
    for (size_t i = 0; i < 2; ++i) EXPECT_LE(j.worstFocalPercent, 300 * shot.solve->stills[i].focalSigma);
    const Judgement world = judge(camera, readFile(data + "lookout/lookout.truth.json"));
    EXPECT_LE(world.levelDeg, 3 * world.levelSigmaDeg);
}

TEST(Stills, ThoseOfAnotherPlaceAreNamed) {
    const Shot shot = matched(data + "mast-top/mast-top.mp4", {std::string(VA_TEST_DATA) + "/photos/home.jpg"});
    EXPECT_FALSE(shot.solve->hasDepth());
    ASSERT_EQ(shot.solve->stills.size(), 1U);
    EXPECT_NE(shot.solve->stills[0].trouble, StillTrouble::none);
    EXPECT_NE(verdictOn(shot, Step::solve).sentence.find("in common"), std::string::npos)
        << verdictOn(shot, Step::solve).sentence;
    EXPECT_THROW((void)withStill(shot, data + "nothing.jpg"), InputError);
}

// The pair "Aloe" of the Middlebury stereo data of 2006 (Hirschmüller & Scharstein, CVPR 2007), rectified: the second
// camera stands to the right of the first and is not turned. Focal length 3740 px (from memory, the data's own page);
// aloeGT.png holds the true disparities.
TEST(Stills, APublishedPairHasItsKnownDepth) {
    if (!std::filesystem::exists(samples + "aloeR.jpg")) GTEST_SKIP() << "opencv-doc is not installed";
    const Shot shot = matched(samples + "aloeL.jpg", {samples + "aloeR.jpg"}, [](Shot& s) {
        s.priors.focal = Known::known;
        s.priors.sensorWidthMm = s.plate.width;
        s.priors.focalMm = 3740;
        s.stills[0].focalPx = 3740;
    });
    ASSERT_TRUE(shot.solve->hasDepth()) << verdictOn(shot, Step::solve).sentence;
    const SolvedStill& still = shot.solve->stills[0];
    const CameraPose& plate = shot.solve->frames[0].pose;
    EXPECT_LT(plate.worldFromCamera.angularDistance(still.pose.worldFromCamera) * 180 / M_PI, 0.5);
    const Eigen::Vector3d right =
        plate.worldFromCamera.conjugate() * (still.pose.position - plate.position).normalized();
    EXPECT_GT(right.x(), std::cos(3 * M_PI / 180)) << right.transpose();
    // Disparity goes with one over depth: slope and offset are free, what is left is not.
    const Luma truth = openStill(samples + "aloeGT.png")->luma(1);
    std::vector<double> inverse, disparity;
    for (const SolvedPoint& p : shot.solve->points) {
        const auto at = project(plate, shot.solve->lens, p.position);
        if (!at || at->x() < 0 || at->y() < 0 || at->x() >= truth.width || at->y() >= truth.height) continue;
        const double d = double(truth.at(int(at->x()), int(at->y())));
        if (d <= 0) continue;
        inverse.push_back(-1 / (plate.worldFromCamera.conjugate() * (p.position - plate.position)).z());
        disparity.push_back(d);
    }
    ASSERT_GT(inverse.size(), 150U);
    const auto n = double(inverse.size());
    double mi = 0, md = 0, ii = 0, dd = 0, id = 0;
    for (size_t i = 0; i < inverse.size(); ++i) mi += inverse[i] / n, md += disparity[i] / n;
    for (size_t i = 0; i < inverse.size(); ++i) {
        ii += (inverse[i] - mi) * (inverse[i] - mi);
        dd += (disparity[i] - md) * (disparity[i] - md);
        id += (inverse[i] - mi) * (disparity[i] - md);
    }
    std::printf("correlation with the true disparities %.4f over %zu points\n", id / std::sqrt(ii * dd),
                inverse.size());
    // A few spots lie on an outline, where the truth jumps from leaf to wall.
    EXPECT_GT(id / std::sqrt(ii * dd), 0.98);
}

// Two photos of a street by one unknown camera (OpenCV's samples): focal lengths agree, and say how sure they are.
TEST(Stills, TwoPhotosByOneCameraAgreeOnItsFocalLength) {
    if (!std::filesystem::exists(samples + "leuvenB.jpg")) GTEST_SKIP() << "opencv-doc is not installed";
    const Shot shot = matched(samples + "leuvenA.jpg", {samples + "leuvenB.jpg"});
    ASSERT_TRUE(shot.solve->hasDepth()) << verdictOn(shot, Step::solve).sentence;
    const SolvedStill& still = shot.solve->stills[0];
    ASSERT_EQ(shot.solve->lensNumbers.size(), 1U);
    const double sigma = std::hypot(still.focalSigma, shot.solve->lensNumbers[0].sigma / shot.solve->lens.focalPx);
    EXPECT_LT(std::fabs(std::log(still.lens.focalPx / shot.solve->lens.focalPx)), std::max(0.01, 3 * sigma));
    EXPECT_LT(still.rmsPx, 0.6);
    EXPECT_GT(shot.solve->points.size(), 80U);
    EXPECT_NE(verdictOn(shot, Step::solve).sentence.find("Photo with depth from 1 reference still"), std::string::npos)
        << verdictOn(shot, Step::solve).sentence;
}

TEST(Stills, APhotoOfAShotThatIsSolvedJoinsIt) {
    // The boatyard's slipway and its shed, photographed with another camera.
    const Shot shot = matched(data + "slipway/slipway.mp4", {data + "shed/shed.jpg"});
    ASSERT_EQ(shot.solve->motion, Motion::free);
    ASSERT_EQ(shot.solve->stills.size(), 1U);
    const SolvedStill& still = shot.solve->stills[0];
    ASSERT_TRUE(still.solved) << stillVerdict(shot, shot.stills[0]);
    std::printf("%s\n", stillVerdict(shot, shot.stills[0]).c_str());
    EXPECT_NEAR(still.lens.focalPx / 1350, 1, 0.01);
    const Judgement j = judge(writeCameraJson(gatherScene(shot)), readFile(data + "slipway/slipway.truth.json"));
    EXPECT_LE(j.stickPx, 0.05);
}

}  // namespace
}  // namespace va
