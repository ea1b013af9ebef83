// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>

#include "base/atomic_file.h"
#include "base/error.h"
#include "exchange/camera_json.h"
#include "exchange/ply.h"
#include "exchange/usda.h"
#include "exchange/verify.h"
#include "solved_shot.h"

namespace va {
namespace {

class Exchange : public ::testing::Test {
  protected:
    void SetUp() override {
        folder_ = std::filesystem::temp_directory_path() / ("va-exchange-" + std::to_string(getpid()));
        std::filesystem::create_directories(folder_);
    }
    void TearDown() override { std::filesystem::remove_all(folder_); }
    static const SceneExport& scene() {
        static const SceneExport s = gatherExport(test::makeSolvedShot(), "fit \"0.14\" px");
        return s;
    }
    std::filesystem::path folder_;
};

TEST_F(Exchange, EveryFormatIsVerifiedAndTight) {
    ASSERT_GE(exportFormats().size(), 3U);
    for (const ExportFormat* format : exportFormats()) {
        const ExportCheck check = exportAndVerify(scene(), *format, folder_ / format->fileName);
        EXPECT_TRUE(check.passed) << check.sentence;
        EXPECT_GT(check.compared, 1000);
        EXPECT_LT(check.largestPx, 0.002);
        EXPECT_NE(check.sentence.find("1280 × 720"), std::string::npos);
        EXPECT_NE(check.sentence.find("23.976 fps"), std::string::npos);
        EXPECT_NE(check.sentence.find("1001–1024"), std::string::npos);
    }
}

// A project can hold a solve without frames: nothing can be compared then, and that is no success.
TEST_F(Exchange, ASolveWithoutFramesIsNoSuccess) {
    SceneExport empty = scene();
    empty.frames.clear();
    for (const ExportFormat* format : exportFormats()) {
        try {
            const ExportCheck check = exportAndVerify(empty, *format, folder_ / format->fileName);
            EXPECT_FALSE(check.passed) << format->word;
            EXPECT_FALSE(check.sentence.empty());
        } catch (const Error& e) {
            EXPECT_NE(std::string(e.what()).find("no frame"), std::string::npos) << format->word;
        }
    }
}

TEST_F(Exchange, EveryLensModelSurvives) {
    for (int kind = 0; kind < lensKinds; ++kind) {
        SceneExport s = scene();
        s.lens = LensModel{LensKind(kind)};
        for (int i = 0; i < s.lens.count(); ++i) s.lens.setValue(i, 0.001 * (i + 1) * (i % 2 ? -1 : 1));
        EXPECT_EQ(readCameraJson(writeCameraJson(s), "test").lens, s.lens) << kind;
        for (const ExportFormat* format : {&usdaFormat, &cameraCsvFormat, &openTrackIoFormat})
            EXPECT_EQ(format->read(format->write(s).front().content, "test").cameras.at(0).lens, s.lens)
                << kind << format->word;
    }
}

// Of a zoom the undistorted frame is one for all frames: each focal length has to find the whole plate in it, and the
// same direction at the same pixel as without the distortion.
TEST_F(Exchange, TheUndistortedFrameOfAZoomHoldsEveryFrame) {
    SceneExport zoom = scene();
    zoom.lens = LensModel::brownConrady(-0.12, 0.01);
    for (size_t i = 0; i < zoom.frames.size(); ++i) zoom.frames[i].focalPx = 900 + 40.0 * double(i);
    const SceneExport out = undistortedScene(zoom, Overscan::whole);
    EXPECT_GT(out.width, zoom.width);
    int atBorder = 0;
    for (const auto& f : zoom.frames) {
        if (!f.solved) continue;
        const Intrinsics a = zoom.intrinsics(f), b = out.intrinsics(f);
        EXPECT_NEAR(zoom.focalMm(f), out.focalMm(f), 1e-9);
        for (const Eigen::Vector2d& corner :
             {Eigen::Vector2d(0, 0), Eigen::Vector2d(zoom.width - 1, 0), Eigen::Vector2d(0, zoom.height - 1),
              Eigen::Vector2d(zoom.width - 1, zoom.height - 1)}) {
            const auto direction = a.normalisedFromPixel(corner);
            ASSERT_TRUE(direction);
            const Eigen::Vector2d seen = b.pixelFromNormalised(*direction);
            EXPECT_TRUE(seen.x() >= -0.5 && seen.y() >= -0.5 && seen.x() <= out.width - 0.5 &&
                        seen.y() <= out.height - 0.5)
                << f.frame << ": " << seen.transpose();
            atBorder += seen.x() < 3;
        }
    }
    EXPECT_GT(atBorder, 0) << "the frame is no larger than it has to be";
}

TEST_F(Exchange, CameraJsonKeepsEverything) {
    const SceneExport r = readCameraJson(writeCameraJson(scene()), "test");
    EXPECT_EQ(r.rate, scene().rate);
    EXPECT_EQ(r.lens, scene().lens);
    EXPECT_EQ(r.verdict, scene().verdict);
    EXPECT_EQ(r.things.size(), 2U);
    for (size_t i = 0; i < r.frames.size(); ++i) {
        EXPECT_EQ(r.frames[i].pose.position, scene().frames[i].pose.position);
        EXPECT_EQ(r.frames[i].focalPx, scene().frames[i].focalPx);
    }
}

TEST_F(Exchange, UnsolvedFramesStayInTheNumbering) {
    SceneExport s = scene();
    s.frames[0].solved = s.frames[5].solved = s.frames.back().solved = false;
    const SceneExport r = readCameraJson(writeCameraJson(s), "j");
    ASSERT_EQ(r.frames.size(), s.frames.size());
    EXPECT_FALSE(r.frames[0].solved);
    EXPECT_FALSE(r.frames[5].solved);
    EXPECT_TRUE(r.frames[6].solved);
    EXPECT_EQ(r.frames[6].frame, s.frames[6].frame);
    for (const ExportFormat* format : exportFormats()) {
        if (!format->holdsCamera) continue;
        const auto frames = format->read(format->write(s).front().content, "t").cameras.at(0).frames;
        ASSERT_EQ(frames.size(), s.frames.size() - 3) << format->word;
        EXPECT_EQ(frames[0].frame, s.frames[1].frame) << format->word;
        EXPECT_EQ(frames[4].frame, s.frames[6].frame) << format->word;
    }
}

TEST_F(Exchange, ShiftedPrincipalPointAndPixelAspectSurviveUsd) {
    SceneExport s = scene();
    s.principalPoint = {611.25, 380.5};
    s.pixelAspect = 2;
    for (const ExportFormat* format : exportFormats()) {
        if (!format->holdsCamera) continue;
        const ForeignScene r = format->read(format->write(s).front().content, "t");
        const Intrinsics lens = plateIntrinsics(r, r.cameras.at(0), r.cameras[0].frames.at(3), s.width, s.height, 2);
        EXPECT_NEAR(lens.principalPoint.x(), 611.25, 1e-3) << format->word;
        EXPECT_NEAR(lens.principalPoint.y(), 380.5, 1e-3) << format->word;
        EXPECT_NEAR(lens.focalPx / s.frames[3].focalPx, 1, 1e-6) << format->word;
    }
}

TEST_F(Exchange, VerificationCatchesADifference) {
    // A scene whose numbers the format can't hold: positions beyond single precision.
    SceneExport far = scene();
    for (auto& p : far.points) p.position += Eigen::Vector3d(1e7, 0, 0);
    for (auto& f : far.frames) f.pose.position += Eigen::Vector3d(1e7, 0, 0);
    const ExportCheck check = exportAndVerify(far, usdaFormat, folder_ / "far.usda");
    EXPECT_FALSE(check.passed);
    EXPECT_NE(check.sentence.find("Do not use"), std::string::npos);
    EXPECT_TRUE(exportAndVerify(far, cameraJsonFormat, folder_ / "far.json").passed) << "doubles hold it";
}

TEST_F(Exchange, ThingsAreReadBackAndCompared) {
    SceneExport s = scene();
    Thing tilted = s.things.front();
    tilted.name = "drum";
    tilted.rotation = Eigen::Quaterniond(0.5, -0.5, 0.1, 0.7).normalized();
    s.things.push_back(tilted);
    const SceneExport r = readCameraJson(writeCameraJson(s), "j");
    ASSERT_EQ(r.things.size(), 3U);
    for (const Thing& t : s.things)
        EXPECT_EQ(std::count_if(r.things.begin(), r.things.end(),
                                [&](const Thing& other) { return sameWithin(t, other, 1e-12); }),
                  1)
            << t.name;
    // Our own kinds come back from OpenUSD as what they are.
    const ForeignScene usd = usdaFormat.read(writeUsda(s), "u");
    for (const Thing& t : s.things) {
        const ForeignScene::Body* b = usd.body(t.name);
        ASSERT_TRUE(b && b->kind) << t.name;
        EXPECT_TRUE(sameKind(*b->kind, t.kind)) << t.name;
    }
    // Writers that get one number of one thing wrong are found out.
    ExportFormat wrong = cameraJsonFormat;
    wrong.write = [](const SceneExport& scene) {
        SceneExport moved = scene;
        moved.things[1].position.z() += 1e-3;
        return OutFiles{{"", writeCameraJson(moved), ""}};
    };
    ExportCheck check = exportAndVerify(s, wrong, folder_ / "moved.json");
    EXPECT_FALSE(check.passed);
    EXPECT_GT(check.largestPx, 0.01);
    wrong = usdaFormat;
    wrong.write = [](const SceneExport& scene) {
        SceneExport grown = scene;
        for (auto& t : grown.things)
            if (hasSurface(t.kind)) setField(t.kind, 1, 2.5);
        return usdaFiles(grown);
    };
    EXPECT_FALSE(exportAndVerify(s, wrong, folder_ / "grown.usda").passed);
    wrong.write = [](const SceneExport& scene) {
        SceneExport fewer = scene;
        fewer.things.pop_back();
        return usdaFiles(fewer);
    };
    EXPECT_FALSE(exportAndVerify(s, wrong, folder_ / "fewer.usda").passed);
}

TEST_F(Exchange, NothingComparedIsNotVerified) {
    SceneExport s = scene();
    for (auto& f : s.frames) f.solved = false;
    for (const ExportFormat* format : exportFormats()) {
        try {
            const ExportCheck check = exportAndVerify(s, *format, folder_ / format->fileName);
            EXPECT_FALSE(check.passed) << format->word;
        } catch (const Error& e) {
            EXPECT_NE(std::string(e.what()).find("no frame"), std::string::npos) << format->word << e.what();
        }
    }
    s.frames.clear();
    EXPECT_FALSE(exportAndVerify(s, plyFormat, folder_ / "none.ply").passed);
}

TEST_F(Exchange, AFormatSaysWhatItHasNoPlaceFor) {
    EXPECT_EQ(cameraJsonFormat.lacks(scene()), "");
    EXPECT_NE(plyFormat.lacks(scene()).find("camera, things"), std::string::npos);
    SceneExport distorted = scene();
    distorted.lens.setValue("k1", -0.1);
    EXPECT_NE(usdaFormat.lacks(distorted).find("distortion"), std::string::npos);
    const ExportCheck check = exportAndVerify(distorted, usdaFormat, folder_ / "distorted.usda");
    EXPECT_NE(check.sentence.find("Not in the file: lens distortion"), std::string::npos) << check.sentence;
    EXPECT_EQ(formatNamed("usda"), &usdaFormat);
    EXPECT_EQ(formatNamed("nonsense"), nullptr);
}

TEST_F(Exchange, DamagedFilesAreRefused) {
    const std::string json = writeCameraJson(scene()), ply = writePly(scene());
    EXPECT_THROW((void)readCameraJson(json.substr(0, json.size() / 2), "x"), InputError);
    EXPECT_THROW((void)readCameraJson("[]", "x"), InputError);
    for (const ExportFormat* format : exportFormats()) {
        const std::string whole = format->write(scene()).front().content;
        if (format == &objFormat || format == &cameraCsvFormat) continue;  // lines: what is cut off at one is not seen
        EXPECT_THROW((void)format->read(whole.substr(0, whole.size() / 3), "x"), InputError) << format->word;
        EXPECT_THROW((void)format->read("", "x"), InputError) << format->word;
    }
    EXPECT_THROW((void)readPly(ply.substr(0, ply.size() / 2), "x"), InputError);
    EXPECT_THROW((void)exportAndVerify(scene(), plyFormat, folder_ / "no" / "such" / "folder.ply"), InputError);
}

TEST_F(Exchange, NothingToExportIsSaid) { EXPECT_THROW((void)gatherExport(Shot(), ""), Error); }

}  // namespace
}  // namespace va
