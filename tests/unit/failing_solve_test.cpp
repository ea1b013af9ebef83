// SPDX-License-Identifier: GPL-3.0-or-later
// What the solve says where it cannot be right: one sentence a case, with numbers and what to try next.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "synthetic_shot.h"
#include "workflow/check_points.h"
#include "workflow/match_shot.h"
#include "workflow/mover_features.h"
#include "workflow/mover_work.h"
#include "workflow/verdict.h"

namespace va {
namespace {

using test::lookAlong;
using test::makeSyntheticShot;
using test::SyntheticOptions;
using test::SyntheticShot;

Shot shotOf(const SyntheticShot& s) {
    Shot out;
    out.plateSpec = "/nowhere/made-up.mp4";
    out.plate.width = s.request.width;
    out.plate.height = s.request.height;
    out.plate.frames = {1001, 1000 + int(s.request.frames.size())};
    out.range = out.plate.frames;
    out.paths = std::make_shared<std::vector<Path>>(s.paths);
    out.pathsFrom = fingerprintOfTrackInput(out);
    out.tracked = out.range;
    return out;
}

Shot solved(const Shot& shot) {
    Progress progress;
    return withSolve(shot, progress);
}

void expectFinite(const SolveResult& r) {
    for (const auto& f : r.frames)
        EXPECT_TRUE(f.pose.position.allFinite() && f.pose.worldFromCamera.coeffs().allFinite() &&
                    std::isfinite(f.rmsPx) && std::isfinite(f.focalPx));
    for (const auto& p : r.points) EXPECT_TRUE(p.position.allFinite() && std::isfinite(p.rmsPx));
    EXPECT_TRUE(std::isfinite(r.rmsPx) && std::isfinite(r.checkRmsPx) && std::isfinite(r.lens.focalPx));
}

void expectSays(const Shot& s, const std::string& part) {
    const Verdict v = verdictOn(s, Step::solve);
    EXPECT_EQ(v.lamp, Lamp::look) << v.sentence;
    EXPECT_NE(v.sentence.find(part), std::string::npos) << v.sentence;
    expectFinite(*s.solve);
}

TEST(FailingSolve, AbsurdKnownFocalLengthIsContradictedWithANumber) {
    Shot s = shotOf(makeSyntheticShot({}));
    s.priors.focal = Known::known;
    s.priors.focalMm = 90;  // truth: 1100 px of 1280 on 36 mm = 30.9 mm
    s = solved(s);
    expectSays(s, "does not go with the paths: they ask for 3");
    EXPECT_NEAR(s.solve->askedFocalPx, 1100, 30);
}

TEST(FailingSolve, RightKnownFocalLengthIsNotContradicted) {
    Shot s = shotOf(makeSyntheticShot({}));
    s.priors.focal = Known::known;
    s.priors.focalMm = 30.9375;
    s = solved(s);
    EXPECT_EQ(s.solve->askedFocalPx, 0);
    EXPECT_EQ(verdictOn(s, Step::solve).lamp, Lamp::good) << verdictOn(s, Step::solve).sentence;
}

TEST(FailingSolve, AllOnAPlaneWithoutAFocalLengthIsSaid) {
    SyntheticOptions o;
    o.flat = true;
    const Shot s = solved(shotOf(makeSyntheticShot(o)));
    expectFinite(*s.solve);
    const Verdict v = verdictOn(s, Step::solve);
    EXPECT_EQ(v.lamp, Lamp::look) << v.sentence;
    ASSERT_EQ(s.solve->motion, Motion::free) << v.sentence;
    EXPECT_LT(s.solve->relief, 0.01);
    EXPECT_NE(v.sentence.find("one plane"), std::string::npos) << v.sentence;
}

TEST(FailingSolve, FlatSceneWithAKnownLensIsSolved) {
    SyntheticOptions o;
    o.flat = true;
    const SyntheticShot made = makeSyntheticShot(o);
    Shot s = shotOf(made);
    s.priors.focal = s.priors.distortion = Known::known;
    s.priors.focalMm = 30.9375;
    s.priors.lens = made.lens.lens;
    s = solved(s);
    ASSERT_EQ(s.solve->motion, Motion::free);
    EXPECT_EQ(s.solve->solvedCount(), 40);
    EXPECT_LT(s.solve->rmsPx, 0.25);
    EXPECT_LT(s.solve->relief, 0.01);
    // The path's shape, whatever the scale.
    const auto at = [&](size_t f) { return s.solve->frames[f].pose.position; };
    const double half = (at(20) - at(0)).norm() / (at(39) - at(0)).norm(),
                 truth = (made.cameras[20].position - made.cameras[0].position).norm() /
                         (made.cameras[39].position - made.cameras[0].position).norm();
    EXPECT_NEAR(half, truth, 0.01);
}

TEST(FailingSolve, MirrorImageInDepthIsNoticed) {
    // A shallow thing seen through a very long lens from far away: perspective does not tell near from far.
    SyntheticOptions o;
    o.focalPx = 40000;
    o.k1 = o.k2 = 0;
    o.noisePx = 0.3;
    o.camera = [](double t) {
        const double a = 0.1 * (t - 0.5);
        return lookAlong({200 * std::sin(a), 0, 200 * std::cos(a)}, -a, 0);
    };
    SyntheticShot made = makeSyntheticShot(o);
    // Points about the middle that the camera goes around, drawn anew in a shallow box.
    made.paths.clear();
    std::mt19937_64 random(5);
    std::uniform_real_distribution<double> u(-1, 1);
    std::normal_distribution<double> noise(0, o.noisePx);
    std::vector<Eigen::Vector3d> places;
    for (int i = 0; i < 150; ++i) {
        const Eigen::Vector3d x(2.5 * u(random), 1.5 * u(random), 1.0 * u(random));
        places.push_back(x);
        Path p;
        p.id = i + 1;
        for (int f = 0; f < 40; ++f) {
            const auto q = project(made.cameras[size_t(f)], made.lens, x);
            if (!q || q->x() < 0 || q->y() < 0 || q->x() > 1279 || q->y() > 719) continue;
            PathPoint point;
            point.frame = 1001 + f, point.x = q->x() + noise(random), point.y = q->y() + noise(random);
            point.sxx = point.syy = float(o.noisePx * o.noisePx);
            p.points.push_back(point);
        }
        if (p.points.size() > 30) made.paths.push_back(p);
    }
    Shot s = shotOf(made);
    s.priors.focal = s.priors.distortion = Known::known;
    s.priors.focalMm = 40000.0 / 1280 * 36;
    // Solved by hand, as it were: what is brought up to date starts at the truth.
    SolveResult truth;
    truth.motion = Motion::free;
    truth.lens = made.lens;
    for (int f = 0; f < 40; ++f) {
        SolvedFrame& frame = truth.frames.emplace_back();
        frame.frame = 1001 + f, frame.solved = true, frame.focalPx = o.focalPx, frame.pose = made.cameras[size_t(f)];
    }
    for (const Path& p : made.paths) {
        SolvedPoint& point = truth.points.emplace_back();
        point.pathId = p.id, point.position = places[size_t(p.id) - 1], point.stretch = p.frames();
    }
    s.solve = std::make_shared<SolveResult>(truth);
    Progress progress;
    s = withSolveUpdated(s, progress);
    ASSERT_EQ(s.solve->motion, Motion::free) << verdictOn(s, Step::solve).sentence;
    expectSays(s, "mirror image");
    EXPECT_NEAR(s.solve->mirrorRmsPx, s.solve->rmsPx, 0.2 * s.solve->rmsPx);
}

TEST(FailingSolve, AllFeaturesOnTheMoverIsSaid) {
    const SyntheticShot made = makeSyntheticShot({});
    Shot s = shotOf(made);
    std::vector<int> all;
    for (const Path& p : made.paths) all.push_back(p.id);
    s = solved(withMover(s, all));
    expectSays(s, "All features belong to movers");
}

TEST(FailingSolve, ContradictingCheckPointsNameTheWorst) {
    const SyntheticShot made = makeSyntheticShot({});
    Shot s = solved(shotOf(made));
    std::vector<int> ids;
    for (const SolvedPoint& p : s.solve->points)
        if (!p.heldBack && p.observations > 30 && ids.size() < 6) ids.push_back(p.pathId);
    const auto apart = [&](int a, int b) { return (made.points[size_t(a) - 1] - made.points[size_t(b) - 1]).norm(); };
    for (int k = 0; k < 3; ++k) {
        s = withCheckPoint(s, PointTie::Kind::distance, {ids[size_t(2 * k)], ids[size_t(2 * k + 1)]});
        s.checkPoints.back().measure.length = apart(ids[size_t(2 * k)], ids[size_t(2 * k + 1)]) * (k == 2 ? 1.6 : 1);
        s.checkPoints.back().measure.tolerance = 0.01;
    }
    s = solved(s);
    expectSays(s, "times its tolerance");
    expectSays(s, "contradict");
}

TEST(FailingSolve, StretchOfRotationKeepsTheRest) {
    // A move, and then a pan on the spot far away from all that was seen before.
    SyntheticOptions o;
    o.frames = 80;
    o.points = 900;
    o.camera = [](double t) {
        const double move = std::min(1.0, t / 0.5), pan = std::max(0.0, (t - 0.5) / 0.5);
        return lookAlong({-2 + 4 * move, 0.3 * move, 0.5 * move}, 0.12 - 0.2 * move + 1.6 * pan, 0.02);
    };
    const SyntheticShot made = makeSyntheticShot(o);
    const Shot s = solved(shotOf(made));
    ASSERT_EQ(s.solve->motion, Motion::free) << verdictOn(s, Step::solve).sentence;
    EXPECT_EQ(s.solve->solvedCount(), 80) << verdictOn(s, Step::solve).sentence;
    int turned = 0;
    double worst = 0;
    const Eigen::Quaterniond base = s.solve->frames[0].pose.worldFromCamera.conjugate();
    const Eigen::Quaterniond trueBase = made.cameras[0].worldFromCamera.conjugate();
    for (size_t f = 0; f < 80; ++f) {
        turned += s.solve->frames[f].origin == PoseOrigin::turned;
        worst = std::max(worst, (base * s.solve->frames[f].pose.worldFromCamera)
                                    .angularDistance(trueBase * made.cameras[f].worldFromCamera));
    }
    EXPECT_GT(turned, 3);
    EXPECT_LT(worst * 180 / M_PI, 0.2);
    EXPECT_NE(verdictOn(s, Step::solve).sentence.find("rotation only at"), std::string::npos);
}

TEST(FailingSolve, CutLosesOnlyWhatLiesBeyondIt) {
    // All paths end at frame 1030, others begin: nothing joins the two halves.
    SyntheticOptions o;
    o.frames = 50;
    SyntheticShot made = makeSyntheticShot(o);
    std::vector<Path> cut;
    for (const Path& p : made.paths) {
        Path before = p, after = p;
        before.points.eraseIf([](const PathPoint& q) { return q.frame > 1030; });
        after.points.eraseIf([](const PathPoint& q) { return q.frame <= 1030; });
        after.id += 10000;
        for (PathPoint& q : after.points) q.x = 1279 - q.x;  // another view
        if (before.points.size() > 4) cut.push_back(before);
        if (after.points.size() > 4) cut.push_back(after);
    }
    made.paths = cut;
    const Shot s = solved(shotOf(made));
    ASSERT_EQ(s.solve->motion, Motion::free);
    const int count = s.solve->solvedCount();
    EXPECT_TRUE(count == 30 || count == 20) << count;
    expectSays(s, count == 30 ? "No camera at 1031–1050" : "No camera at 1001–1030");
    EXPECT_LT(s.solve->rmsPx, 0.25);
}

TEST(FailingSolve, JumpOfTheCameraAndRepeatedFramesAreSolvedThrough) {
    SyntheticOptions o;
    o.frames = 44;
    o.camera = [](double t) {
        // Two frames stand still; later it jumps by a tenth of the path, and turns by two degrees.
        const double f = t * 43, held = f >= 11 && f < 13 ? 10 : f, s = held / 43;
        const double jump = f > 28 ? 1 : 0;
        return lookAlong({-2 + 4 * s + 0.4 * jump, 0.3 * s, 0.5 * s}, 0.12 - 0.3 * s + 0.035 * jump, 0.02);
    };
    const SyntheticShot made = makeSyntheticShot(o);
    const Shot s = solved(shotOf(made));
    ASSERT_EQ(s.solve->motion, Motion::free);
    EXPECT_EQ(s.solve->solvedCount(), 44);
    EXPECT_LT(s.solve->rmsPx, 0.2);
    const auto at = [&](size_t f) { return s.solve->frames[f].pose.position; };
    EXPECT_LT((at(11) - at(10)).norm(), 0.02 * (at(43) - at(0)).norm()) << "repeated frames stand on one place";
    const double jumped = (at(29) - at(28)).norm() / (at(43) - at(0)).norm(),
                 truth = (made.cameras[29].position - made.cameras[28].position).norm() /
                         (made.cameras[43].position - made.cameras[0].position).norm();
    EXPECT_NEAR(jumped, truth, 0.01);
}

TEST(FailingSolve, StandingCameraKeepsItsPlaceAndItsMoverIsFound) {
    SyntheticOptions o;
    o.moverShare = 0.35;
    o.points = 500;
    o.camera = [](double) { return lookAlong({0, 0.5, 0}, 0, 0); };
    const SyntheticShot made = makeSyntheticShot(o);
    Shot s = solved(shotOf(made));
    ASSERT_EQ(s.solve->motion, Motion::lockedOff) << verdictOn(s, Step::solve).sentence;
    expectSays(s, "Locked-off camera");
    Progress progress;
    s = withMoversFound(s, progress);
    ASSERT_EQ(s.movers.size(), 1U);
    const Mover& m = s.movers[0];
    EXPECT_EQ(m.solve->motion, Motion::free);
    EXPECT_GE(m.solve->solvedCount(), 38);
    // Its turn, frame by frame, less the turn of its own axes.
    double worst = 0;
    const auto first = moverWorldPose(s, m, 1005);
    ASSERT_TRUE(first);
    for (int f = 6; f <= 35; ++f) {
        const auto pose = moverWorldPose(s, m, 1000 + f);
        ASSERT_TRUE(pose) << f;
        const Eigen::Quaterniond ours = first->worldFromCamera.conjugate() * pose->worldFromCamera,
                                 truth = made.mover[4].worldFromCamera.conjugate() *
                                         made.mover[size_t(f) - 1].worldFromCamera;
        worst = std::max(worst, std::fabs(Eigen::AngleAxisd(ours).angle() - Eigen::AngleAxisd(truth).angle()));
    }
    EXPECT_LT(worst * 180 / M_PI, 2.0) << "the focal length is found with the mover alone";
}

}  // namespace
}  // namespace va
