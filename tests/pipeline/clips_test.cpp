// SPDX-License-Identifier: GPL-3.0-or-later
// The demo clips from picture to camera, with nothing known but the plate, against their truth.
#include <gtest/gtest.h>

#include <Eigen/SVD>
#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/atomic_file.h"
#include "base/error.h"
#include "exchange/camera_json.h"
#include "judge.h"
#include "solve/report/slip.h"
#include "track/flat_patch.h"
#include "workflow/gather_scene.h"
#include "workflow/match_shot.h"
#include "workflow/mover_features.h"
#include "workflow/mover_work.h"
#include "workflow/patch_axes.h"
#include "workflow/track_shot.h"
#include "workflow/verdict.h"

namespace va {
namespace {

const std::string data = std::string(VA_SOURCE_DIR) + "/demo/data/";

Shot match(const std::string& plate, const std::function<void(Shot&)>& prepare = {}) {
    Shot shot = withPlate(Shot(), plate);
    if (prepare) prepare(shot);
    Progress progress;
    return matchShot(shot, progress);
}

using nlohmann::json;

/// The similarity from a truth's world to the solve's, by the cameras' positions and orientations.
Similarity alignedTo(const Shot& shot, const std::string& truthFile) {
    const json truth = json::parse(readFile(truthFile));
    Eigen::Vector3d middle = Eigen::Vector3d::Zero(), trueMiddle = middle;
    Eigen::Matrix3d turn = Eigen::Matrix3d::Zero();
    std::vector<std::pair<Eigen::Vector3d, Eigen::Vector3d>> places;
    for (const json& f : truth["frames"]) {
        const SolvedFrame* s = shot.solve->at(f["frame"].get<int>());
        if (!s || !s->solved) continue;
        const auto &p = f["position"], &q = f["rotation"];
        const Eigen::Quaterniond r(q[0].get<double>(), q[1].get<double>(), q[2].get<double>(), q[3].get<double>());
        places.emplace_back(Eigen::Vector3d(p[0].get<double>(), p[1].get<double>(), p[2].get<double>()),
                            s->pose.position);
        turn += (s->pose.worldFromCamera * r.conjugate()).toRotationMatrix();
    }
    for (const auto& [a, b] : places) trueMiddle += a / double(places.size()), middle += b / double(places.size());
    double from = 0, to = 0;
    for (const auto& [a, b] : places) from += (a - trueMiddle).squaredNorm(), to += (b - middle).squaredNorm();
    Similarity out;
    out.scale = std::sqrt(to / from);
    const Eigen::JacobiSVD<Eigen::Matrix3d> svd(turn, Eigen::ComputeFullU | Eigen::ComputeFullV);
    out.rotation = Eigen::Quaterniond(Eigen::Matrix3d(svd.matrixU() * svd.matrixV().transpose()));
    out.translation = middle - out.scale * (out.rotation * trueMiddle);
    return out;
}

Judgement judged(const Shot& shot, const std::string& truth) {
    const Judgement j = judge(writeCameraJson(gatherExport(shot, "")), readFile(data + truth));
    std::printf("%s\n", j.line().c_str());
    return j;
}

TEST(Slipway, NothingKnownButThePlate) {
    const Shot shot = match(data + "slipway/slipway.mp4");
    ASSERT_EQ(shot.solve->motion, Motion::free);
    const Judgement j = judged(shot, "slipway/slipway.truth.json");
    EXPECT_EQ(j.solved, 120);
    EXPECT_LE(j.rmsPx, 0.5);
    EXPECT_LE(j.stickPx, 0.05);
    EXPECT_LE(j.shapePx, 0.2);
    EXPECT_LE(j.focalPercent, 0.2);
    EXPECT_LE(j.pathPercent, 0.1);
    EXPECT_LE(j.rotationDeg, 0.02);
    EXPECT_EQ(verdictOn(shot, Step::solve).lamp, Lamp::good) << verdictOn(shot, Step::solve).sentence;
    EXPECT_LT(j.checkPx, 2 * j.rmsPx);

    // The floor that was found is the yard's: true floor points lie on it, and its up is the world's up.
    ASSERT_TRUE(shot.ground->level);
    const CameraPose first = *shot.worldPose(1001);
    const Eigen::Vector3d right = first.worldFromCamera * Eigen::Vector3d::UnitX();
    EXPECT_NEAR(right.y(), 0, 0.01) << "the truth's first camera is held level";
    // Camera height over path length is free of scale: 1.65 m over 5 m in the truth.
    double length = 0;
    for (int f = 1002; f <= 1120; ++f) length += (shot.worldPose(f)->position - shot.worldPose(f - 1)->position).norm();
    EXPECT_NEAR(first.position.y() / length, 1.65 / 5.01, 0.003);
    EXPECT_LE(j.levelDeg, 0.1);
    EXPECT_LE(j.levelDeg, 4 * j.levelSigmaDeg);

    // The ground, the shed's front and the sign are among the first five planes of the cloud (corners: yard.inc).
    const auto onTruth = [&](const Candidate& c, const std::vector<Eigen::Vector3d>& places, double within) {
        // Places of the truth, through the true cameras' similarity to the solve.
        const Similarity toSolve = alignedTo(shot, data + "slipway/slipway.truth.json");
        double worst = 0;
        for (const Eigen::Vector3d& p : places)
            worst = std::max(worst, std::fabs(c.surface.plane.distance(toSolve.point(p))) / toSolve.scale);
        return worst < within;
    };
    const std::map<std::string, std::vector<Eigen::Vector3d>> planes{
        {"ground", {{-3, 0, 0}, {3, 0, 0}, {0, 0, 3}}},
        {"shed", {{2.6, 0.5, -2.2}, {6.2, 0.5, -2.2}, {5, 2.2, -2.2}}},
        {"sign", {{-3.9, 1.3, -1.2}, {-3.9, 1.8, -1.2}, {-2.9, 1.3, -1.41}}}};
    for (const auto& [name, places] : planes) {
        bool found = false;
        for (size_t i = 0; i < std::min(size_t(5), shot.groundBasis->candidates.size()); ++i)
            found = found || onTruth(shot.groundBasis->candidates[i], places, name == "sign" ? 0.06 : 0.05);
        EXPECT_TRUE(found) << name;
    }

    // A lasso over the tarred ground: stones, rails and sleepers are in it as well.
    GroundSpec lasso;
    lasso.level.push_back({LevelKind::floor, {}, {}});
    const std::vector<Eigen::Vector2d> outline{{20, 719}, {20, 560}, {520, 500}, {1260, 500}, {1260, 719}};
    for (const SolvedPoint& p : shot.solve->points) {
        const auto at = shot.solve->seen(1048, p.position);
        if (at && insideOutline(outline, *at)) lasso.level[0].paths.push_back(p.pathId);
    }
    ASSERT_GE(lasso.level[0].paths.size(), 60U);
    const Shot levelled = withGround(shot, lasso);
    const Judgement by = judged(levelled, "slipway/slipway.truth.json");
    EXPECT_LE(by.levelDeg, 0.05);
    const double height = levelled.worldPose(1001)->position.y() / levelled.ground->worldFromSolve.scale,
                 trueHeight = 1.65 * alignedTo(shot, data + "slipway/slipway.truth.json").scale;
    EXPECT_NEAR(height / trueHeight, 1, 0.001);
}

TEST(Shed, APhotoByItself) {
    const Shot shot = match(data + "shed/shed.jpg");
    ASSERT_EQ(shot.solve->motion, Motion::still) << verdictOn(shot, Step::solve).sentence;
    const json truth = json::parse(readFile(data + "shed/shed.truth.json"))["frames"][0];
    EXPECT_NEAR(shot.solve->lens.focalPx / truth["focal_px"].get<double>(), 1, 0.02);
    const auto& q = truth["rotation"];
    const Eigen::Quaterniond world(q[0].get<double>(), q[1].get<double>(), q[2].get<double>(), q[3].get<double>());
    const Eigen::Vector3d up = shot.worldPose(1)->worldFromCamera.conjugate() * Eigen::Vector3d::UnitY();
    EXPECT_LT(std::acos(std::min(1.0, up.dot(world.conjugate() * Eigen::Vector3d::UnitY()))) * 180 / M_PI, 0.5);
    EXPECT_EQ(verdictOn(shot, Step::solve).lamp, Lamp::good) << verdictOn(shot, Step::solve).sentence;
    const SceneExport scene = gatherScene(shot);
    EXPECT_EQ(scene.width, 1620);
    EXPECT_EQ(scene.height, 1080);
}

TEST(Slipway, APartOfTheRangeKeepsItsNumbers) {
    const Shot shot = match(data + "slipway/slipway.mp4", [](Shot& s) { s.range = {1031, 1080}; });
    ASSERT_EQ(shot.solve->motion, Motion::free);
    EXPECT_EQ(shot.solve->frames.front().frame, 1031);
    EXPECT_EQ(shot.solve->frames.back().frame, 1080);
    const Judgement j = judged(shot, "slipway/slipway.truth.json");
    EXPECT_EQ(j.solved, 50);
    EXPECT_LE(j.stickPx, 0.12);
}

TEST(Jib, StillsWithAnotherLens) {
    const Shot shot = match(data + "jib");
    ASSERT_EQ(shot.solve->motion, Motion::free);
    EXPECT_TRUE(shot.plate.rateAssumed);
    const Judgement j = judged(shot, "jib/jib.truth.json");
    EXPECT_EQ(j.solved, 40);
    EXPECT_LE(j.rmsPx, 0.5);
    EXPECT_LE(j.stickPx, 0.12);
    EXPECT_LE(j.focalPercent, 1.0);
    EXPECT_LE(j.levelDeg, 0.1);
}

// Walking with the camera in the hand: steps, sway, and a stumble with fifteen pixels of motion blur.
TEST(Boardwalk, HandheldWithMotionBlur) {
    const Shot shot = match(data + "boardwalk/boardwalk.mp4");
    ASSERT_EQ(shot.solve->motion, Motion::free);
    EXPECT_FALSE(shot.findings.any()) << "nothing is odd about it";
    const Judgement j = judged(shot, "boardwalk/boardwalk.truth.json");
    EXPECT_EQ(j.solved, 100);
    EXPECT_LE(j.rmsPx, 0.5);
    EXPECT_LE(j.stickPx, 0.08);
    EXPECT_GT(shot.solve->relief, 0.02) << "a point in the far distance does not make it flat";
    EXPECT_LE(j.shapePx, 0.4);
    EXPECT_LE(j.rotationDeg, 0.02);
    EXPECT_LE(j.pathPercent, 0.1);
    EXPECT_LE(j.focalPercent, 0.2);
    EXPECT_LE(j.levelDeg, 0.1);
    // The footage was made with a shutter that is open for half of the frame's time.
    EXPECT_NEAR(shot.blur.openShare, 0.5, 0.1);
    EXPECT_GT(shot.blur.smeared, 5);
    EXPECT_TRUE(shot.blur.looked.contains(1050));
    // More than half of the paths that were there before the stumble come out of it.
    int before = 0, through = 0;
    for (const Path& p : *shot.paths)
        if (p.at(1060)) ++before, through += p.points.back().frame >= 1076;
    EXPECT_GT(through * 2, before) << through << " of " << before;
}

TEST(MastTop, PanIsSeenAndGivesItsRotation) {
    const Shot shot = match(data + "mast-top/mast-top.mp4");
    EXPECT_EQ(shot.solve->motion, Motion::nodalPan);
    EXPECT_TRUE(shot.solve->points.empty());
    EXPECT_NE(verdictOn(shot, Step::solve).sentence.find("Nodal pan"), std::string::npos);
    const Judgement j = judged(shot, "mast-top/mast-top.truth.json");
    EXPECT_EQ(j.solved, 40);
    EXPECT_LE(j.rotationDeg, 0.02);
    EXPECT_LE(j.focalPercent, 0.2);
}

TEST(Zoom, FocalLengthsOfEveryFrame) {
    const Shot shot = match(data + "zoom/zoom.mp4");
    ASSERT_EQ(shot.solve->motion, Motion::free);
    EXPECT_TRUE(shot.solve->zooms);
    const Judgement j = judged(shot, "zoom/zoom.truth.json");
    EXPECT_EQ(j.solved, 80);
    EXPECT_LE(j.focalPercent, 1.0);
    EXPECT_LE(j.stickPx, 0.05);
    EXPECT_LE(j.pathPercent, 0.1);
    EXPECT_LE(j.rotationDeg, 0.02);
    EXPECT_LE(j.shapePx, 0.2);
    EXPECT_NE(verdictOn(shot, Step::solve).sentence.find("zooms 1.9×"), std::string::npos)
        << verdictOn(shot, Step::solve).sentence;
    // The others do not zoom, and nobody says so.
    const Shot steady = match(data + "jib");
    EXPECT_FALSE(steady.solve->zooms);
}

TEST(Trolley, CameraAndWhatMovesByItself) {
    Shot shot = match(data + "trolley/trolley.mp4");
    ASSERT_EQ(shot.solve->motion, Motion::free);
    const Judgement j = judged(shot, "trolley/trolley.truth.json");
    EXPECT_EQ(j.solved, 80);
    EXPECT_LE(j.stickPx, 0.05);
    EXPECT_LE(j.shapePx, 0.2);
    EXPECT_LE(j.rotationDeg, 0.02);
    EXPECT_LE(j.pathPercent, 0.1);
    EXPECT_LE(j.focalPercent, 0.2);
    // What a thing is expected to slide by is what it does slide by, within what one shot can tell.
    const SlipField field = slipFieldOf(*shot.solve, *shot.paths, shot.plate.width, shot.plate.height);
    double sum = 0;
    int count = 0;
    for (const SolvedPoint& p : shot.solve->points)
        if (const double slip = field.slipPx(p.position, shot.range); slip >= 0) sum += slip * slip, ++count;
    ASSERT_GT(count, 100);
    EXPECT_NEAR(std::log(std::sqrt(sum / count) / j.stickPx), 0, std::log(2.0));

    Progress progress;
    shot = withMoversFound(shot, progress);
    ASSERT_EQ(shot.movers.size(), 1U) << "the trolley, and nothing else";
    EXPECT_EQ(shot.movers[0].solve->solvedCount(), 80);
    const MoverJudgement m =
        judgeMover(writeCameraJson(gatherScene(shot)), readFile(data + "trolley/trolley.truth.json"));
    std::printf("mover: rotation %.4f deg, place %.4f %%\n", m.rotationDeg, m.placePercent);
    EXPECT_EQ(m.frames, 80);
    EXPECT_LE(m.rotationDeg, 0.05);
    EXPECT_LE(m.placePercent, 0.2);
    EXPECT_LE(m.slipPx, 0.4);

    // Hung before the crate's front, tracked as a flat region that no solved feature lies on, a thing moves as hung on
    // the trolley itself. The region's distance is an assumption: its share of the true one is taken out.
    constexpr int reference = 1041;
    PatchTrackRequest request;
    request.patch.id = 1, request.patch.name = "crate", request.patch.referenceFrame = reference;
    request.patch.corners = {Eigen::Vector2d(412, 276), {540, 282}, {538, 388}, {417, 394}};
    request.patch.outline = {request.patch.corners.begin(), request.patch.corners.end()};
    request.frames = shot.frames();
    const auto plate = openPlate(shot.plateSpec, shot.overrides);
    request.read = [&](int f) { return plate->luma(f); };
    const FlatPatch patch = trackPatch(request, progress);
    ASSERT_GE(patch.frames.size(), 40U) << patch.trouble;
    ASSERT_TRUE(patchDistanceAssumed(shot, patch));
    const auto axes = patchAxes(shot, patch, reference);
    const auto pose = moverWorldPose(shot, shot.movers[0], reference);
    ASSERT_TRUE(axes && pose);
    const Eigen::Vector3d eye = shot.cameraAt(reference)->pose().position;
    // The trolley's features around the middle of the region say how far it is.
    std::vector<std::pair<double, double>> near;
    for (const auto& [id, own] : moverPoints(shot, shot.movers[0])) {
        const Eigen::Vector3d p = pose->position + pose->worldFromCamera * own;
        const auto pixel = shot.cameraAt(reference)->project(p);
        if (pixel) near.emplace_back((*pixel - Eigen::Vector2d(477, 335)).norm(), (p - eye).norm());
    }
    std::sort(near.begin(), near.end());
    ASSERT_GT(near.size(), 5U);
    const double share = (axes->translation - eye).norm() / near[2].second;
    // As far before the region as a fifth of its width.
    const double width = share * 0.2 * near[2].second * 128 / 693;
    const Eigen::Vector3d own =
        axes->inverse().point(axes->translation + width * (axes->rotation * Eigen::Vector3d::UnitY()));
    const Eigen::Vector3d there = eye + (axes->point(own) - eye) / share;
    const Eigen::Vector3d onTrolley = pose->worldFromCamera.conjugate() * (there - pose->position);
    std::vector<double> off;
    for (const PatchFrame& f : patch.frames) {
        const auto a = patchAxes(shot, patch, f.frame);
        const auto b = moverWorldPose(shot, shot.movers[0], f.frame);
        const auto camera = shot.cameraAt(f.frame);
        if (!a || !b || !camera) continue;
        const auto p = camera->project(a->point(own)),
                   q = camera->project(b->position + b->worldFromCamera * onTrolley);
        if (p && q) off.push_back((*p - *q).norm());
    }
    ASSERT_GE(off.size(), 40U);
    std::sort(off.begin(), off.end());
    std::printf("hung on a moving patch, against the trolley: median %.2f px, worst %.2f px\n", off[off.size() / 2],
                off.back());
    EXPECT_LE(off[off.size() / 2], 1.0);

    // Solved again with the mover's features out of the way, the camera is no worse.
    const Shot again = withSolve(shot, progress);
    EXPECT_EQ(again.movers[0].solve->solvedCount(), 80);
    EXPECT_LE(judged(again, "trolley/trolley.truth.json").stickPx, 0.05);

    // Nothing moves by itself in the others.
    Shot still = match(data + "jib");
    still = withMoversFound(still, progress);
    EXPECT_TRUE(still.movers.empty());
}

TEST(Slipway, MatteKeepsFeaturesOut) {
    // One still as a matte for the whole shot: its white left half keeps features out.
    const std::string matte = std::string(VA_BINARY_DIR) + "/matte-left.png";
    ASSERT_EQ(std::system(("ffmpeg -v error -y -f lavfi -i color=black:s=640x360 -vf "
                           "drawbox=w=320:h=360:color=white:t=fill -frames:v 1 " +
                           matte)
                              .c_str()),
              0);
    Shot shot = withPlate(Shot(), data + "jib");
    shot.exclusions.matte.spec = matte;
    shot.range = {1001, 1010};
    Progress progress;
    const Shot tracked = withPaths(shot, progress);
    ASSERT_GT(tracked.paths->size(), 20U);
    for (const Path& p : *tracked.paths)
        for (const PathPoint& q : p.points) EXPECT_GE(q.x, 319);
    // A matte that ends before the range does is said, not ignored.
    const std::string brief = std::string(VA_BINARY_DIR) + "/matte-brief.mp4";
    ASSERT_EQ(std::system(("ffmpeg -v error -y -f lavfi -i color=black:s=640x360 -frames:v 4 " + brief).c_str()), 0);
    shot.exclusions.matte.spec = brief;
    EXPECT_THROW((void)withPaths(shot, progress), InputError);
    shot.exclusions.matte.spec = data + "slipway/slipway.mp4";
    EXPECT_THROW((void)withPaths(shot, progress), InputError) << "another size";
}

TEST(Match, CancelAtEveryStageKeepsWhatIsDone) {
    for (const char* stage : {"Tracking features", "Choosing the kind of move", "Finding a first camera",
                              "Growing the solve", "Refining the solve"}) {
        Shot shot = withPlate(Shot(), data + "jib");
        Progress* self = nullptr;
        int seen = 0;
        Progress progress([&](const Progress::State& s) {
            if (s.stage == stage && (s.total == 0 || s.done >= std::min(10, s.total / 2))) ++seen, self->cancel();
        });
        self = &progress;
        Shot soFar = shot;
        EXPECT_THROW((void)matchShot(shot, progress, &soFar), Cancelled) << stage;
        EXPECT_GT(seen, 0) << stage;
        EXPECT_FALSE(soFar.paths->empty()) << stage;
        // What is half refined is kept, and marked.
        EXPECT_EQ(soFar.solve->has(), stage == std::string("Refining the solve")) << stage;
        EXPECT_EQ(soFar.solve->preliminary, soFar.solve->has()) << stage;
    }
}

TEST(Lookout, ANodalPanWithAZoom) {
    const Shot shot = match(data + "lookout/lookout.mp4");
    ASSERT_EQ(shot.solve->motion, Motion::nodalPan);
    EXPECT_TRUE(shot.solve->zooms);
    const Judgement j = judged(shot, "lookout/lookout.truth.json");
    EXPECT_EQ(j.solved, 56);
    EXPECT_LE(j.rotationDeg, 0.05);
    EXPECT_LE(j.focalPercent, 1.0);
    EXPECT_LE(j.lensPx, 0.5);
}

TEST(Quay, RowsReadOneAfterTheOtherAreFoundWithoutAWord) {
    const Shot shot = match(data + "quay/quay.mp4");
    ASSERT_EQ(shot.solve->motion, Motion::free);
    EXPECT_NEAR(shot.solve->readout, 0.7, 0.02);
    EXPECT_GT(shot.solve->readoutSigma, 0);
    EXPECT_NE(verdictOn(shot, Step::solve).sentence.find("rows read over 0.7"), std::string::npos)
        << verdictOn(shot, Step::solve).sentence;
    // Taken as read at once the same paths are off by 0.9, 1.5 and 0.07.
    const Judgement j = judged(shot, "quay/quay.truth.json");
    EXPECT_EQ(j.solved, 56);
    EXPECT_LE(j.stickPx, 0.05);
    EXPECT_LE(j.shapePx, 0.15);
    EXPECT_LE(j.rotationDeg, 0.02);
    EXPECT_LE(j.focalPercent, 0.12);

    // What stands at a feature's position in the world is drawn where the feature is, row by row; by the middle row's
    // camera alone it drifts.
    std::vector<double> byRows, byMiddle, bySolve;
    for (const SolvedPoint& p : shot.solve->points) {
        if (p.heldBack) continue;
        bySolve.push_back(p.rmsPx);
        const Eigen::Vector3d world = shot.worldPoint(p);
        for (const PathPoint& q : shot.path(p.pathId)->points) {
            const auto camera = shot.cameraAt(q.frame);
            if (!camera || !q.counts() || !p.stretch.contains(q.frame)) continue;
            const auto rows = camera->project(world), middle = project(camera->pose(), camera->lens(), world);
            if (!rows || !middle) continue;
            byRows.push_back((*rows - Eigen::Vector2d(q.x, q.y)).norm());
            byMiddle.push_back((*middle - Eigen::Vector2d(q.x, q.y)).norm());
        }
    }
    ASSERT_GT(byRows.size(), 5000U);
    const auto median = [](std::vector<double>& v) {
        std::nth_element(v.begin(), v.begin() + std::ptrdiff_t(v.size() / 2), v.end());
        return v[v.size() / 2];
    };
    EXPECT_LT(median(byRows), 1.3 * median(bySolve)) << "by the middle row: " << median(byMiddle);
    EXPECT_GT(median(byMiddle), 2 * median(byRows)) << "this clip can tell";
}

}  // namespace
}  // namespace va
