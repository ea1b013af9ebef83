// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>

#include "base/atomic_file.h"
#include "base/error.h"
#include "shot/shot_file.h"
#include "solved_shot.h"

namespace va {
namespace {

namespace fs = std::filesystem;

class ShotFile : public ::testing::Test {
  protected:
    void SetUp() override {
        folder_ = fs::temp_directory_path() / ("va-shot-" + std::to_string(getpid()));
        fs::create_directories(folder_ / "plates");
    }
    void TearDown() override { fs::remove_all(folder_); }
    static const Shot& shot() {
        static const Shot s = test::makeSolvedShot();
        return s;
    }
    fs::path folder_;
};

TEST_F(ShotFile, NothingIsLostInAFile) {
    Shot s = shot();
    s.overrides.rate = Rational{30000, 1001};
    s.plate.gaps = {{1005, 1006}};
    s.plate.focalMm = 31.25;
    s.groundSpec.length = GroundSpec::Length{s.solve->points[0].pathId, s.solve->points[5].pathId, 1.1};
    s.groundSpec.originPath = s.solve->points[3].pathId;
    s.back.focal = Known::start;
    s.back.focalMm = 28.123456789012345;
    s.back.lens = LensModel{LensKind::anamorphic};
    s.back.lens.setValue("y02", -0.0123456789012345);
    s.back.principal = Known::start;
    s.back.principalOffset = {3.25, -1.123456789012345};
    writeShot(s, folder_ / "a.vanchor");
    const Shot r = readShot(folder_ / "a.vanchor");
    EXPECT_EQ(r.name, s.name);
    EXPECT_EQ(r.plateSpec, s.plateSpec);
    EXPECT_EQ(r.rate(), (Rational{30000, 1001}));
    EXPECT_EQ(r.plate.gaps, s.plate.gaps);
    EXPECT_EQ(r.plate.focalMm, s.plate.focalMm);
    EXPECT_EQ(r.groundSpec, s.groundSpec);
    EXPECT_EQ(r.back, s.back);
    EXPECT_EQ(r.things, s.things);
    ASSERT_EQ(r.paths->size(), s.paths->size());
    EXPECT_EQ((*r.paths)[7].points[2].x, (*s.paths)[7].points[2].x) << "full precision";
    ASSERT_EQ(r.solve->points.size(), s.solve->points.size());
    EXPECT_EQ(r.solve->points[9].position, s.solve->points[9].position);
    EXPECT_EQ(r.solve->frames[9].pose.position, s.solve->frames[9].pose.position);
    EXPECT_EQ(r.solve->outliers.size(), s.solve->outliers.size());
    EXPECT_EQ(fingerprintOfSolveInput(r), fingerprintOfSolveInput(s));
    // Once more through the file: a fixed point.
    EXPECT_EQ(shotToText(r, folder_), shotToText(readShot(folder_ / "a.vanchor"), folder_));
}

TEST_F(ShotFile, PathsToFootageAreRelative) {
    Shot s = shot();
    s.plateSpec = (folder_ / "plates" / "yard.%04d.jpg").string();
    writeShot(s, folder_ / "a.vanchor");
    EXPECT_NE(readFile(folder_ / "a.vanchor").find("\"plates/yard.%04d.jpg\""), std::string::npos);
    // Folder and project move together.
    fs::create_directories(folder_ / "moved");
    fs::rename(folder_ / "a.vanchor", folder_ / "moved" / "a.vanchor");
    EXPECT_EQ(readShot(folder_ / "moved" / "a.vanchor").plateSpec,
              (folder_ / "moved" / "plates" / "yard.%04d.jpg").string());
}

TEST_F(ShotFile, BrokenFilesAreNamedAndExplained) {
    const std::string whole = shotToText(shot(), folder_);
    const auto messageOf = [&](const std::string& text) -> std::string {
        try {
            (void)shotFromText(text, "yard.vanchor");
        } catch (const InputError& e) {
            return e.what();
        }
        return "";
    };
    EXPECT_NE(messageOf(whole.substr(0, whole.size() / 2)).find("cut off"), std::string::npos);
    EXPECT_NE(messageOf("").find("yard.vanchor"), std::string::npos);
    EXPECT_NE(messageOf("{\"format\":\"something else\"}").find("another kind"), std::string::npos);
    std::string newer = whole;
    const std::string version = "\"version\":" + std::to_string(shotFileVersion);
    newer.replace(newer.find(version), version.size(), "\"version\":99");
    EXPECT_NE(messageOf(newer).find("newer"), std::string::npos);
    std::string damaged = whole;
    damaged.replace(damaged.find("\"camera_back\""), 13, "\"camera_bock\"");
    EXPECT_NE(messageOf(damaged).find("missing or damaged"), std::string::npos);
    EXPECT_EQ(messageOf(whole), "");
}

TEST(Fingerprint, ChangesWithWhatMatters) {
    const Shot a = test::makeSolvedShot();
    Shot b = a;
    b.name = "other";
    EXPECT_EQ(fingerprintOfSolveInput(a), fingerprintOfSolveInput(b));
    auto paths = std::make_shared<std::vector<Path>>(*a.paths);
    (*paths)[3].setAside = true;
    b.paths = paths;
    EXPECT_NE(fingerprintOfSolveInput(a), fingerprintOfSolveInput(b));
    Shot c = a;
    c.things[0].position.x() += 1e-9;
    EXPECT_NE(fingerprintOfExportInput(a), fingerprintOfExportInput(c));
}

}  // namespace
}  // namespace va
