// SPDX-License-Identifier: GPL-3.0-or-later
// Scenes from files over a shot's plate: what does not fit is asked, and everything after Solve goes on from there.
#include <gtest/gtest.h>

#include <filesystem>

#include "base/error.h"
#include "exchange/export_choices.h"
#include "exchange/verify.h"
#include "shot/shot_file.h"
#include "solved_shot.h"
#include "workflow/export_run.h"
#include "workflow/gather_scene.h"
#include "workflow/ground_work.h"
#include "workflow/import_scene.h"
#include "workflow/layout_work.h"
#include "workflow/match_shot.h"
#include "workflow/place_things.h"
#include "workflow/verdict.h"

namespace va {
namespace {

namespace fs = std::filesystem;

class Import : public ::testing::Test {
  protected:
    void SetUp() override { fs::create_directories(folder_); }
    void TearDown() override { fs::remove_all(folder_); }
    static const Shot& solved() {
        static const Shot s = test::makeSolvedShot();
        return s;
    }
    /// The same plate, not solved.
    static Shot bare() {
        Shot s = solved();
        s.solve = std::make_shared<SolveResult>();
        s.solveFrom = 0;
        s.things.clear();
        s.groundSpec = {};
        s.ground = std::make_shared<GroundFit>();
        s.groundBasis = nullptr;
        return s;
    }
    static SceneExport metric() {
        SceneExport e = gatherScene(solved());
        e.metric = true;
        return e;
    }
    static const Misfit* about(const std::vector<Misfit>& all, Misfit::About what) {
        for (const Misfit& m : all)
            if (m.about == what) return &m;
        return nullptr;
    }
    fs::path folder_ = fs::temp_directory_path() / ("va-import-" + std::to_string(::getpid()));
};

TEST_F(Import, WhatFitsIsTakenWithoutAQuestion) {
    const SceneExport ours = metric();
    for (const char* word : {"json", "usda", "usdz", "glb", "dae", "csv", "opentrackio"}) {
        const ExportFormat& f = *formatNamed(word);
        ASSERT_TRUE(exportAndVerify(ours, f, folder_ / f.fileName).passed) << word;
        const ForeignScene scene = readScene((folder_ / f.fileName).string());
        const auto misfits = misfitsOf(bare(), scene);
        EXPECT_TRUE(std::none_of(misfits.begin(), misfits.end(), [](const Misfit& m) { return m.open; })) << word;
        const Shot s = withImportedScene(bare(), scene, misfits, "", f.fileName, folder_ / word);
        EXPECT_EQ(s.cameraFrom, f.fileName);
        EXPECT_TRUE(s.ground->metric && s.ground->level) << word;
        for (const auto& frame : ours.frames) {
            const auto pose = s.worldPose(frame.frame);
            ASSERT_TRUE(pose) << word;
            EXPECT_LT((pose->position - frame.pose.position).norm(), 1e-5) << word;
            EXPECT_LT(pose->worldFromCamera.angularDistance(frame.pose.worldFromCamera), 1e-6) << word;
            EXPECT_NEAR(s.lensAt(frame.frame)->focalPx / frame.focalPx, 1, 1e-6) << word;
        }
        EXPECT_EQ(s.solve->points.size(), f.holdsPoints ? ours.points.size() : 0U) << word;
    }
}

TEST_F(Import, ARollingShutterComesAlong) {
    SceneExport ours = metric();
    ours.readout = 0.5;
    ViewRate rate;
    rate.first << 0.01, 0.02, 0, 0.1, 0, 0.2;
    rate.third << 0, 0, 0.001, 0, 0.03, 0;
    ours.frames.front().rate = rate;
    ForeignScene scene = cameraJsonFormat.read(cameraJsonFormat.write(ours).front().content, "c");
    const Shot s = withImportedScene(bare(), scene, misfitsOf(bare(), scene), "", "c.json", folder_);
    EXPECT_DOUBLE_EQ(s.solve->readout, 0.5);
    ASSERT_TRUE(s.solve->frames.front().rate);
    EXPECT_LT((s.solve->frames.front().rate->first - rate.first).norm(), 1e-9);
    EXPECT_LT((s.solve->frames.front().rate->third - rate.third).norm(), 1e-9);
    EXPECT_FALSE(s.solve->frames[1].rate);
    // A point of the cloud is seen where the file's own camera sees it by its row: elsewhere than by the middle one.
    const auto camera = s.cameraAt(ours.frames[0].frame);
    ASSERT_TRUE(camera);
    EXPECT_GT(camera->poseAtRow(0).worldFromCamera.angularDistance(
                  camera->poseAtRow((s.plate.height - 1) / 2.0).worldFromCamera),
              0.25 * 0.02);
    // In another unit its shifts change and its turns stay; by time on a grid twice as fine the time is twice as many
    // frames, and a frame's own motion is left to its neighbours.
    scene.metresPerUnit = 0.01;
    const ViewRate smaller = *inOurAxes(scene).cameras[0].frames[0].rate;
    EXPECT_LT((smaller.first.head<3>() - rate.first.head<3>()).norm(), 1e-9);
    EXPECT_LT((smaller.first.tail<3>() - 0.01 * rate.first.tail<3>()).norm(), 1e-9);
    ForeignChoices twice;
    twice.rate = Rational{2 * ours.rate.num, ours.rate.den};
    twice.byTime = true;
    const SceneExport fine = sceneFrom(scene, twice);
    EXPECT_DOUBLE_EQ(fine.readout, 1.0);
    EXPECT_FALSE(fine.frames.front().rate);
}

TEST_F(Import, EverythingAfterSolveGoesOn) {
    const ForeignScene scene = usdaFormat.read(usdaFormat.write(metric()).front().content, "u");
    Shot s = withImportedScene(bare(), scene, misfitsOf(bare(), scene), "", "elsewhere.usda", folder_);
    EXPECT_EQ(s.things.size(), solved().things.size());
    // Verdicts speak of it, and say where it is from.
    EXPECT_NE(verdictOn(s, Step::solve).sentence.find("elsewhere.usda"), std::string::npos);
    for (const Step step : {Step::plate, Step::features, Step::ground, Step::layout, Step::exporting})
        EXPECT_FALSE(verdictOn(s, step).sentence.empty());
    // Things are placed on it, the ground is edited, and it is exported again.
    int id = 0;
    s = withThing(s, newThing(s, Box(), placeFromWords(s, "ground:0,0,-1"), s.range.first), &id);
    GroundSpec spec = s.groundSpec;
    spec.byHand.translation = {1, 0, 0};
    s = withGround(s, spec);
    EXPECT_TRUE(s.ground->trouble.empty()) << s.ground->trouble;
    Progress progress;
    const ExportRun run = exportShot(s, {}, {"json", "usda", "glb", "dae", "csv"}, folder_ / "out", progress);
    EXPECT_TRUE(run.passed()) << (run.checks.empty() ? "" : run.checks[0].sentence);
    EXPECT_TRUE(verifyManifest(folder_ / "out").passed());
    // It is locked until it is unlocked, in the project file as well.
    EXPECT_THROW((void)withSolve(s, progress), InputError);
    writeShot(s, (folder_ / "p.vanchor").string());
    const Shot again = readShot((folder_ / "p.vanchor").string());
    EXPECT_EQ(again.cameraFrom, "elsewhere.usda");
    EXPECT_EQ(again.solve->points.size(), s.solve->points.size());
    EXPECT_TRUE(withCameraUnlocked(s).cameraFrom.empty());
}

TEST_F(Import, WhatDoesNotFitIsAskedWithItsPixels) {
    ForeignScene scene = usdaFormat.read(usdaFormat.write(metric()).front().content, "u");
    scene.rate = Rational{25, 1};
    scene.metresPerUnit.reset();
    scene.axisSaid = false;
    scene.width = 1920, scene.height = 1440;
    scene.cameras[0].lens.reset();
    for (auto& c : scene.cameras)
        for (auto& f : c.frames) f.frame += 3;
    std::vector<Misfit> misfits = misfitsOf(bare(), scene);
    for (const auto what : {Misfit::About::rate, Misfit::About::unit, Misfit::About::axis, Misfit::About::size,
                            Misfit::About::firstFrame}) {
        const Misfit* m = about(misfits, what);
        ASSERT_TRUE(m) << int(what);
        EXPECT_TRUE(m->open && m->chosen < 0) << int(what) << ": nothing is taken silently";
        EXPECT_FALSE(m->theirs.empty() || m->ours.empty() || m->consequence.empty());
    }
    EXPECT_NE(about(misfits, Misfit::About::rate)->consequence.find("px"), std::string::npos);
    EXPECT_NE(about(misfits, Misfit::About::size)->consequence.find("120.0 px"), std::string::npos)
        << "1440 · 1280/1920 = 960, 240 more than 720, half at each end: "
        << about(misfits, Misfit::About::size)->consequence;
    EXPECT_THROW((void)withImportedScene(bare(), scene, misfits, "", "x", {}), InputError);
    for (Misfit& m : misfits)
        if (m.chosen < 0) m.chosen = 0;
    const Shot s = withImportedScene(bare(), scene, misfits, "", "x", {});
    EXPECT_EQ(s.solve->solvedCount(), int(scene.cameras[0].frames.size())) << "frame for frame, first to first";
    // By time, 25 frames are 24 of the plate's: the last ones are missing.
    for (Misfit& m : misfits)
        if (m.about == Misfit::About::rate) m.chosen = 1;
    const Shot t = withImportedScene(bare(), scene, misfits, "", "x", {});
    EXPECT_LT(t.solve->solvedCount(), s.solve->solvedCount());
    // Centimetres instead of metres.
    for (Misfit& m : misfits)
        if (m.about == Misfit::About::unit) m.chosen = 1;
    const Shot u = withImportedScene(bare(), scene, misfits, "", "x", {});
    const int first = u.range.first;
    EXPECT_LT((u.worldPose(first)->position - 0.01 * t.worldPose(first)->position).norm(), 1e-9);
    EXPECT_THROW((void)misfitsOf(Shot(), scene), InputError) << "no plate";
    scene.cameras.clear();
    EXPECT_THROW((void)misfitsOf(bare(), scene), InputError) << "no camera";
}

/// A shot whose things stand already: they go along by laying the two cameras on each other, or stay, as chosen.
TEST_F(Import, ThingsGoAlongIntoTheOtherWorld) {
    Shot before = solved();
    int id = 0;
    before =
        withThing(before, newThing(before, Box(), placeFromWords(before, "ground:0,0,-1"), before.range.first), &id);
    const Similarity change{100, Eigen::Quaterniond(Eigen::AngleAxisd(0.7, Eigen::Vector3d::UnitY())), {3, 1, -2}};
    ForeignScene scene = usdaFormat.read(usdaFormat.write(metric()).front().content, "u");
    scene.bodies.clear();
    for (auto& c : scene.cameras)
        for (auto& f : c.frames) f.pose = change.pose(f.pose);
    std::vector<Misfit> misfits = misfitsOf(before, scene);
    for (Misfit& m : misfits)
        if (m.chosen < 0) m.chosen = 0;
    const Misfit* world = about(misfits, Misfit::About::world);
    ASSERT_TRUE(world);
    ASSERT_EQ(world->choices.size(), 2U);
    const Shot now = withImportedScene(before, scene, misfits, "", "x", folder_);
    ASSERT_EQ(now.things.size(), before.things.size());
    // They lie where they lay in the picture, all of them.
    int compared = 0;
    for (size_t i = 0; i < before.things.size(); ++i)
        for (int n = before.range.first; n <= before.range.last; n += 7) {
            const auto a = PlacedThings(before, n).of(before.things[i]), b = PlacedThings(now, n).of(now.things[i]);
            if (!a || !before.worldPose(n) || !now.worldPose(n)) continue;
            ASSERT_TRUE(b) << before.things[i].name;
            const auto p = project(*before.worldPose(n), *before.lensAt(n), a->translation);
            const auto q = project(*now.worldPose(n), *now.lensAt(n), b->translation);
            if (!p) continue;
            ASSERT_TRUE(q);
            EXPECT_LT((*p - *q).norm(), 0.02) << before.things[i].name << " " << n;
            ++compared;
        }
    EXPECT_GT(compared, 4);
    for (Misfit& m : misfits)
        if (m.about == Misfit::About::world) m.chosen = 1;
    const Shot kept = withImportedScene(before, scene, misfits, "", "x", folder_);
    EXPECT_EQ(kept.things.back().position, before.things.back().position);
    // A camera that stands still tells no scale.
    for (auto& c : scene.cameras)
        for (auto& f : c.frames) f.pose.position = {1, 2, 3};
    for (Misfit& m : misfits)
        if (m.about == Misfit::About::world) m.chosen = 0;
    EXPECT_THROW((void)withImportedScene(before, scene, misfits, "", "x", folder_), InputError);
}

/// A file with an angle of view alone: the angle holds, and the film back is the shot's unless the person says so.
TEST_F(Import, AnAngleAloneKeepsTheShotsFilmBack) {
    ForeignScene scene = usdaFormat.read(usdaFormat.write(metric()).front().content, "u");
    const double px = metric().frames.front().focalPx, ours = bare().priors.sensorWidthMm;
    for (auto& c : scene.cameras) {
        const double larger = guessedBackMm / c.backWidthMm;
        c.angleOnly = true, c.backWidthMm *= larger, c.backHeightMm *= larger, c.offsetMm *= larger;
        for (auto& f : c.frames) f.focalMm *= larger;
    }
    std::vector<Misfit> misfits = misfitsOf(bare(), scene);
    Misfit* back = nullptr;
    for (Misfit& m : misfits)
        if (m.about == Misfit::About::filmBack) back = &m;
    ASSERT_TRUE(back);
    Shot s = withImportedScene(bare(), scene, misfits, "", "x", {});
    EXPECT_NEAR(s.priors.sensorWidthMm, ours, 1e-9);
    EXPECT_NEAR(s.lensAt(s.range.first)->focalPx / px, 1, 1e-9);
    back->chosen = 1;
    s = withImportedScene(bare(), scene, misfits, "", "x", {});
    EXPECT_NEAR(s.priors.sensorWidthMm, guessedBackMm, 1e-9);
    EXPECT_NEAR(s.lensAt(s.range.first)->focalPx / px, 1, 1e-9);
}

}  // namespace
}  // namespace va
