// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <functional>

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
    const auto id = [&](size_t i) { return s.solve->points[i].pathId; };
    s.groundSpec.level.push_back({LevelKind::floor, {id(0), id(5), id(9), id(12)}, {}});
    s.groundSpec.level.push_back({LevelKind::upright, {}, {1003, {10.5, 20}, {11.25, 300}}});
    s.groundSpec.origin = {WorldOrigin::Kind::point, {id(3)}, 0, 0, 0};
    s.groundSpec.facing = {WorldFacing::Kind::points, {id(1), id(2)}, {}, 0, 0, true, 3};
    s.groundSpec.lengths.push_back({LengthKind::distance, {id(0), id(5)}, 0, 1.1, 0.02, "rail"});
    s.groundSpec.lengths.push_back({LengthKind::cameraHeight, {}, 1005, 1.5, 0, ""});
    s.groundSpec.planes.push_back({1, "deck", {id(0), id(4), id(7)}});
    s.groundSpec.shared.push_back({id(8), "post", {1, 2, 3}});
    s.groundSpec.byHand = {1.5, Eigen::Quaterniond(Eigen::AngleAxisd(0.3, Eigen::Vector3d::UnitY())), {1, 0, 2}};
    s.uprights.push_back({1002, {1, 2}, {3, 400}});
    s.priors.focal = Known::start;
    s.priors.focalMm = 28.123456789012345;
    s.priors.lens = LensModel{LensKind::anamorphic};
    s.priors.lens.setValue("v_yy", -0.0123456789012345);
    s.priors.principal = Known::start;
    s.priors.principalOffset = {3.25, -1.123456789012345};
    writeShot(s, folder_ / "a.vanchor");
    const Shot r = readShot(folder_ / "a.vanchor");
    EXPECT_EQ(r.name, s.name);
    EXPECT_EQ(r.plateSpec, s.plateSpec);
    EXPECT_EQ(r.rate(), (Rational{30000, 1001}));
    EXPECT_EQ(r.plate.gaps, s.plate.gaps);
    EXPECT_EQ(r.plate.focalMm, s.plate.focalMm);
    EXPECT_EQ(r.groundSpec, s.groundSpec);
    EXPECT_EQ(r.uprights, s.uprights);
    EXPECT_EQ(r.priors, s.priors);
    EXPECT_EQ(r.things, s.things);
    ASSERT_EQ(r.paths->size(), s.paths->size());
    EXPECT_EQ((*r.paths)[7].points[2].x, (*s.paths)[7].points[2].x) << "full precision";
    ASSERT_EQ(r.solve->points.size(), s.solve->points.size());
    EXPECT_EQ(r.solve->points[9].position, s.solve->points[9].position);
    EXPECT_EQ(r.solve->frames[9].pose.position, s.solve->frames[9].pose.position);
    EXPECT_EQ(r.solve->outliers.size(), s.solve->outliers.size());
    EXPECT_EQ(fingerprintOfSolveInput(r), fingerprintOfSolveInput(s));
}

/// A shot in which nothing stands at its default.
Shot withEverythingSet(const Shot& solved) {
    Shot s = solved;
    s.overrides = {Rational{30000, 1001}, Rational{2, 1}, 1, true};
    s.plate.damaged = {{1004, "the packet is cut off"}};
    s.plate.times = {0, 0.04, 0.081};
    s.plate.storedFrames = {1, 2, 2};
    s.plate.mirrored = true;
    s.plate.rotation = 90;
    s.plate.focal35Mm = 42.0;
    s.plate.sensorWidthMm = 23.6;
    s.plate.digitalZoom = 1.5;
    s.plate.lensModel = "a lens";
    s.findings = {{1010}, {1003}, {1020}, {1012}, true};
    s.blur = {0.48, {1002, 1020}, 7};
    s.density = Density::many;
    s.care = Care::careful;
    s.choices = {MoveChoice::lockedOff, ZoomChoice::zooms};
    s.seed = 99;
    s.trackUndistorted = true;
    s.tracked = {1002, 1023};
    MaskShape mask;
    mask.id = 4, mask.name = "sky", mask.enabled = false, mask.exclude = false, mask.invert = true;
    mask.grow = 3.5, mask.feather = 12, mask.ride = MaskRide::path, mask.rideId = 5;
    mask.setPoints(1003, {{{1, 2}, {3, 4}, {5, 6}}, {{7, 8}, {0, 0}, {1, 1}}, {{20, 30}, {0, 0}, {0, 0}}});
    mask.setPoints(1011, {{{2, 2}, {3, 4}, {5, 6}}, {{9, 8}, {0, 0}, {1, 1}}, {{25, 30}, {0, 0}, {0, 0}}});
    mask.keys.setBetween(1003, Between::smooth);
    s.exclusions.masks = {mask};
    s.exclusions.matte = {"mattes/a.%04d.png", 0.3, true, -2, 5};
    s.exclusionsTracked = s.exclusions;
    s.exclusionsTracked.matte.grow = 1;
    FlatPatch patch;
    patch.id = 2, patch.name = "sign", patch.referenceFrame = 1005;
    patch.corners = {Eigen::Vector2d(10, 10), {50, 10}, {50, 40}, {10, 40}};
    patch.outline.assign(patch.corners.begin(), patch.corners.end());
    Eigen::Matrix3d map = Eigen::Matrix3d::Identity();
    map(0, 2) = 3.25;
    patch.frames = {{1006, map, 0.93, 0.8}};
    patch.corrections.set(1006, {Eigen::Vector2d(1, 0), {0, 1}, {0, 0}, {0.5, 0.25}});
    patch.corrections.setBetween(1006, Between::hold);
    patch.trouble = "lost";
    s.patches = {patch};
    s.edges = {{3, 1007, {{1, 2}, {3, 4.5}}, true, true}};
    s.chartStills = {"a.jpg", "b.jpg"};
    s.pathEdits = {{PathEdit::Kind::smooth, {1003, 1007}, 2.5}};
    s.refineReport = "Refined.";
    s.exportedFrom = 12345;
    s.exportReport = "3 files.";
    s.exportFailed = true;
    CheckPoint check;
    check.id = 6, check.name = "planks", check.on = false;
    check.measure.kind = PointTie::Kind::distance;
    check.measure.paths = {1, 2};
    check.measure.length = 3.2;
    check.measure.tolerance = 0.01;
    s.checkPoints = {check};
    Mover mover;
    mover.id = 3, mover.name = "cart", mover.paths = {4, 5}, mover.scaleBy = MoverScale::distance;
    mover.from = 4, mover.to = 5, mover.metres = 0.8, mover.size = 2.5, mover.solveFrom = 77;
    s.movers = {mover};
    s.priors.readoutKnown = Known::known;
    s.priors.readout = 0.6;
    s.priors.camera = "Maker Model";
    s.priors.cut = {1920, 1080, 100, 50};
    auto paths = std::make_shared<std::vector<Path>>(*s.paths);
    Path& p = (*paths)[2];
    p.name = "gable";
    p.origin = PathOrigin::byHand;
    p.setAside = true, p.setAsideReason = "slides";
    p.mover = 3;
    p.model = MotionModel::similarity;
    p.radius = 9, p.searchRadius = 40;
    p.evidence = {2.5f, 0.25f};
    p.points[1].aside = p.points[2].masked = p.points[3].doubtful = true;
    p.points[4].origin = PointOrigin::carried;
    s.paths = paths;
    return s;
}

// The shot in hand against the one that was read: the same file read twice would be equal whatever was lost.
TEST_F(ShotFile, EveryFieldComesBack) {
    const Shot s = withEverythingSet(shot());
    const Shot r = shotFromText(shotToText(s, folder_), folder_ / "x.vanchor");
    EXPECT_EQ(r.overrides.rate, s.overrides.rate);
    EXPECT_EQ(r.overrides.pixelAspect, s.overrides.pixelAspect);
    EXPECT_EQ(r.overrides.stream, s.overrides.stream);
    EXPECT_EQ(r.overrides.evenTimes, s.overrides.evenTimes);
    ASSERT_EQ(r.plate.damaged.size(), 1U);
    EXPECT_EQ(r.plate.damaged[0].cause, s.plate.damaged[0].cause);
    EXPECT_EQ(r.plate.times, s.plate.times);
    EXPECT_EQ(r.plate.storedFrames, s.plate.storedFrames);
    EXPECT_EQ(r.plate.mirrored, s.plate.mirrored);
    EXPECT_EQ(r.plate.rotation, s.plate.rotation);
    EXPECT_EQ(r.plate.focal35Mm, s.plate.focal35Mm);
    EXPECT_EQ(r.plate.sensorWidthMm, s.plate.sensorWidthMm);
    EXPECT_EQ(r.plate.digitalZoom, s.plate.digitalZoom);
    EXPECT_EQ(r.plate.lensModel, s.plate.lensModel);
    EXPECT_EQ(r.findings.cuts, s.findings.cuts);
    EXPECT_EQ(r.findings.duplicates, s.findings.duplicates);
    EXPECT_EQ(r.findings.black, s.findings.black);
    EXPECT_EQ(r.findings.dependent, s.findings.dependent);
    EXPECT_EQ(r.findings.interlaced, s.findings.interlaced);
    EXPECT_EQ(r.blur, s.blur);
    EXPECT_EQ(r.density, s.density);
    EXPECT_EQ(r.care, s.care);
    EXPECT_EQ(r.choices, s.choices);
    EXPECT_EQ(r.seed, s.seed);
    EXPECT_EQ(r.trackUndistorted, s.trackUndistorted);
    EXPECT_EQ(r.tracked, s.tracked);
    EXPECT_EQ(r.exclusions, s.exclusions);
    EXPECT_EQ(r.exclusionsTracked, s.exclusionsTracked);
    ASSERT_EQ(r.patches.size(), 1U);
    EXPECT_EQ(r.patches[0].name, "sign");
    EXPECT_EQ(r.patches[0].corners, s.patches[0].corners);
    EXPECT_EQ(r.patches[0].outline, s.patches[0].outline);
    EXPECT_EQ(r.patches[0].corrections, s.patches[0].corrections);
    EXPECT_EQ(r.patches[0].trouble, "lost");
    ASSERT_EQ(r.patches[0].frames.size(), 1U);
    EXPECT_EQ(r.patches[0].frames[0].map, s.patches[0].frames[0].map);
    EXPECT_EQ(r.edges, s.edges);
    EXPECT_EQ(r.chartStills, s.chartStills);
    EXPECT_EQ(r.pathEdits, s.pathEdits);
    EXPECT_EQ(r.refineReport, s.refineReport);
    EXPECT_EQ(r.exportedFrom, s.exportedFrom);
    EXPECT_EQ(r.exportReport, s.exportReport);
    EXPECT_TRUE(r.exportFailed);
    ASSERT_EQ(r.checkPoints.size(), 1U);
    EXPECT_EQ(r.checkPoints[0].on, false);
    EXPECT_EQ(r.checkPoints[0].measure.length, 3.2);
    EXPECT_EQ(r.checkPoints[0].measure.paths, s.checkPoints[0].measure.paths);
    ASSERT_EQ(r.movers.size(), 1U);
    EXPECT_EQ(r.movers[0].name, "cart");
    EXPECT_EQ(r.movers[0].paths, s.movers[0].paths);
    EXPECT_EQ(r.movers[0].scaleBy, MoverScale::distance);
    EXPECT_EQ(r.movers[0].metres, 0.8);
    EXPECT_EQ(r.movers[0].size, 2.5);
    EXPECT_EQ(r.movers[0].solveFrom, 77U);
    EXPECT_EQ(r.priors, s.priors);
    const Path &a = (*s.paths)[2], &b = (*r.paths)[2];
    EXPECT_EQ(b.name, a.name);
    EXPECT_EQ(b.origin, a.origin);
    EXPECT_EQ(b.setAside, a.setAside);
    EXPECT_EQ(b.setAsideReason, a.setAsideReason);
    EXPECT_EQ(b.mover, a.mover);
    EXPECT_EQ(b.model, a.model);
    EXPECT_EQ(b.radius, a.radius);
    EXPECT_EQ(b.searchRadius, a.searchRadius);
    EXPECT_EQ(b.evidence.varianceInflation, a.evidence.varianceInflation);
    EXPECT_EQ(b.evidence.anisotropy, a.evidence.anisotropy);
    EXPECT_TRUE(b.points[1].aside && b.points[2].masked && b.points[3].doubtful);
    EXPECT_EQ(b.points[4].origin, PointOrigin::carried);
}

// Version 2 had other names for the same things.
TEST_F(ShotFile, OlderNamesAreRead) {
    const Shot s = withEverythingSet(shot());
    std::string text = shotToText(s, folder_);
    const auto replace = [&](const std::string& from, const std::string& to) {
        size_t count = 0;
        for (size_t at = text.find(from); at != std::string::npos; at = text.find(from, at + to.size()), ++count)
            text.replace(at, from.size(), to);
        EXPECT_GT(count, 0U) << from;
    };
    replace("\"version\":" + std::to_string(shotFileVersion), "\"version\":2");
    replace("\"track_undistorted\"", "\"follow_straight\"");
    replace("\"tracked\":[", "\"followed\":[");
    replace("\"tracked\"", "\"followed\"");
    replace("\"exclusions_tracked\"", "\"exclusions_followed\"");
    replace("\"variance_inflation\"", "\"misfit\"");
    replace("\"anisotropy\"", "\"grip\"");
    replace("\"observations\"", "\"sightings\"");
    replace("\"distortion_refused_px\"", "\"bend_refused_px\"");
    replace("\"locked_off\"", "\"fixed\"");
    const Shot r = shotFromText(text, folder_ / "x.vanchor");
    EXPECT_EQ(shotToText(r, folder_), shotToText(shotFromText(shotToText(s, folder_), folder_ / "x.vanchor"), folder_));
    EXPECT_EQ(r.tracked, s.tracked);
    EXPECT_EQ(r.choices.move, MoveChoice::lockedOff);
    EXPECT_EQ((*r.paths)[2].evidence.varianceInflation, 2.5f);
    EXPECT_EQ((*r.paths)[2].points[4].origin, PointOrigin::carried);
    // The anamorphic lens's numbers had names of an axis and two digits.
    EXPECT_EQ(currentLensValueName("x22"), "h_xxyy");
    EXPECT_EQ(currentLensValueName("y04"), "v_yyyy");
    EXPECT_EQ(currentLensValueName("turn"), "axis_rotation");
    EXPECT_EQ(currentLensValueName("k1"), "k1");
}

// Version 3 wrote why a path is not used as a sentence. The artist's reason for setting one aside stays what it is.
TEST_F(ShotFile, ReasonsOfOutliersWereSentences) {
    Shot s = shot();
    auto solve = std::make_shared<SolveResult>(*s.solve);
    const int id = s.paths->front().id;
    solve->outliers = {{id, false, {1002}, OutlierReason::noise}, {id + 1, true, {}, OutlierReason::notScene}};
    s.solve = solve;
    auto paths = std::make_shared<std::vector<Path>>(*s.paths);
    paths->front().setAside = true;
    paths->front().setAsideReason = "sits on a gull";
    s.paths = paths;
    std::string content = shotToText(s, folder_);
    const auto replace = [&](const std::string& from, const std::string& to) {
        const size_t at = content.find(from);
        ASSERT_NE(at, std::string::npos) << from;
        content.replace(at, from.size(), to);
    };
    replace("\"version\":" + std::to_string(shotFileVersion), "\"version\":3");
    replace("\"reason\":\"noise\"", "\"reason\":\"off by more than the noise explains\"");
    replace("\"reason\":\"not_scene\"", "\"reason\":\"does not move with the scene, or too far away to be placed\"");
    const Shot r = shotFromText(content, folder_ / "x.vanchor");
    ASSERT_EQ(r.solve->outliers.size(), 2U);
    EXPECT_EQ(r.solve->outliers[0].reason, OutlierReason::noise);
    EXPECT_EQ(r.solve->outliers[1].reason, OutlierReason::notScene);
    EXPECT_EQ(r.paths->front().setAsideReason, "sits on a gull");
    EXPECT_EQ(shotToText(r, folder_), shotToText(s, folder_));
}

// Found by attack: each of these was taken as if it were right, or ended the program.
TEST_F(ShotFile, NumbersThatCannotBeAreNamed) {
    const auto messageOf = [&](const std::function<void(Shot&, SolveResult&)>& spoil) -> std::string {
        Shot s = shot();
        auto solve = std::make_shared<SolveResult>(*s.solve);
        spoil(s, *solve);
        s.solve = solve;
        try {
            (void)shotFromText(shotToText(s, folder_), "yard.vanchor");
        } catch (const InputError& e) {
            return e.what();
        }
        return "";
    };
    EXPECT_EQ(messageOf([](Shot&, SolveResult&) {}), "");
    const auto names = [](const std::string& message, const std::string& key) {
        EXPECT_NE(message.find("yard.vanchor"), std::string::npos) << key << ": " << message;
        EXPECT_NE(message.find(key), std::string::npos) << message;
    };
    names(messageOf([](Shot&, SolveResult& r) { r.lens.focalPx = -4; }), "solve.focal_px");
    names(messageOf([](Shot&, SolveResult& r) { r.frames[3].pose.worldFromCamera.coeffs() *= 3; }), "rotation");
    names(messageOf([](Shot&, SolveResult& r) { r.frames[3].frame = r.frames[2].frame; }), "does not rise");
    names(messageOf([](Shot&, SolveResult& r) { r.points[0].position.x() = 1e30; }), "solve.points");
    names(messageOf([](Shot&, SolveResult& r) { r.frames.clear(); }), "solve.frames");
    names(messageOf([](Shot& s, SolveResult&) { s.plate.width = 1 << 20; }), "plate.width");
    names(messageOf([](Shot& s, SolveResult&) { s.plate.frames.last = 2'000'000'000; }), "plate.last");
    names(messageOf([](Shot& s, SolveResult&) { s.priors.sensorWidthMm = 0; }), "sensor_width_mm");
    names(messageOf([](Shot& s, SolveResult&) {
              s.groundSpec.lengths.push_back({LengthKind::distance, {1, 2}, 0, -3, 0, ""});
          }),
          "ground.length");
    names(messageOf([](Shot& s, SolveResult&) {
              auto paths = std::make_shared<std::vector<Path>>(*s.paths);
              (*paths)[0].points[1].frame = (*paths)[0].points[0].frame;
              s.paths = paths;
          }),
          "paths, id");
    // Kinds that no project has.
    const std::string whole = shotToText(shot(), folder_);
    for (const std::string& text :
         {std::string("{\"format\":5}"), std::string(100000, '['), std::string(100000, '[') + std::string(100000, ']'),
          std::string("{\"format\":\"vivid-anchor-shot\",\"version\":\"two\"}"), "[" + whole + "]"})
        EXPECT_THROW((void)shotFromText(text, "yard.vanchor"), InputError) << text.substr(0, 60);
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
