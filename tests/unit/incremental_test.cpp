// SPDX-License-Identifier: GPL-3.0-or-later
// The steps after a first free camera, each on its own: rotation where nothing else can be had, evidence of a rolling
// shutter, going on from an earlier solve, and what is told of the lens at the end.
#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <cmath>

#include "solve/incremental/extend_by_rotation.h"
#include "solve/incremental/frame_poses.h"
#include "solve/incremental/free_finish.h"
#include "solve/incremental/growth.h"
#include "solve/incremental/keyframes.h"
#include "solve/incremental/resume.h"
#include "solve/incremental/row_evidence.h"
#include "solve/incremental/solve_question.h"
#include "synthetic_shot.h"

namespace va::test {
namespace {

/// The true cameras and points as an earlier solve would give them, in the world of the first camera's axes.
SolveResult trueSolve(const SyntheticShot& made, int frames) {
    SolveResult out;
    out.motion = Motion::free;
    out.lens = made.lens;
    out.height = made.request.height;
    for (int f = 0; f < frames; ++f) {
        SolvedFrame& frame = out.frames.emplace_back();
        frame.frame = made.request.frames[size_t(f)];
        frame.solved = true;
        frame.pose = made.cameras[size_t(f)];
        frame.focalPx = made.lens.focalPx;
    }
    for (const Path& p : made.paths) {
        SolvedPoint& point = out.points.emplace_back();
        point.pathId = p.id;
        point.position = made.points[size_t(p.id) - 1];
        point.stretch = p.frames();
    }
    return out;
}

SyntheticOptions exact() {
    SyntheticOptions o;
    o.noisePx = 0;
    return o;
}

TEST(Resumed, StandsWhereTheSolveStood) {
    const SyntheticShot made = makeSyntheticShot(exact());
    const SolveQuestion question(made.paths, made.request);
    const auto r = resumed(question, trueSolve(made, 40));
    ASSERT_TRUE(r);
    int frames = 0;
    double worst = 0;
    long compared = 0;
    for (const FrameIndex f : r->observations().indices()) frames += r->hasView(f);
    EXPECT_EQ(frames, 40);
    for (const PathObservation& o : r->observations().all)
        if (const auto off = r->residual(o)) worst = std::max(worst, off->norm()), ++compared;
    EXPECT_GT(compared, 1000);
    EXPECT_LT(worst, 1e-6) << "nothing was moved";
}

TEST(Resumed, IsNullWhereTooLittleIsLeftOrTheQuestionIsAnother) {
    const SyntheticShot made = makeSyntheticShot(exact());
    const SolveQuestion question(made.paths, made.request);
    SolveResult other = trueSolve(made, 40);
    other.motion = Motion::nodalPan;
    EXPECT_FALSE(resumed(question, other)) << "another kind of move";
    SolveResult few = trueSolve(made, 40);
    few.points.resize(4);
    EXPECT_FALSE(resumed(question, few)) << "four points hold no camera";
    EXPECT_FALSE(resumed(question, SolveResult()));
}

/// A handheld camera: its motion changes from frame to frame, which is what tells a rolling shutter from a lens.
CameraPose shaky(double t) {
    return lookAlong({-2 + 4 * t, 0.08 * std::sin(31 * t), 0.1 * std::sin(17 * t)},
                     0.12 - 0.2 * t + 0.03 * std::sin(40 * t), 0.02 * std::sin(53 * t));
}

TEST(RowEvidence, TellsARollingShutterFromAGlobalOne) {
    for (const double readout : {0.0, 0.7}) {
        SyntheticOptions o;
        o.noisePx = 0.05;
        o.camera = shaky;
        o.readout = readout;
        const SyntheticShot made = makeSyntheticShot(o);
        const SolveQuestion question(made.paths, made.request);
        const auto r = resumed(question, trueSolve(made, 40));
        ASSERT_TRUE(r);
        const RowEvidence found = rowEvidence(*r);
        if (readout == 0) {
            EXPECT_LT(found.explained, 0.02);
        } else {
            // Points and lens stay where they are, so that it is told too short rather than too long.
            EXPECT_GT(found.explained, 0.2);
            EXPECT_GT(found.readout, 0.5 * readout);
            EXPECT_LT(found.readout, 1.1 * readout);
        }
    }
}

TEST(ExtendByRotation, FramesBeyondTheLastPointGetTheirRotation) {
    // The camera stops at frame 41 and pans away on the spot.
    SyntheticOptions o = exact();
    o.frames = 80, o.points = 900;
    o.camera = [](double t) {
        const double move = std::min(1.0, t / 0.5), pan = std::max(0.0, (t - 0.5) / 0.5);
        return lookAlong({-2 + 4 * move, 0.3 * move, 0.5 * move}, 0.12 - 0.2 * move + 0.6 * pan, 0.02);
    };
    const SyntheticShot made = makeSyntheticShot(o);
    const SolveQuestion question(made.paths, made.request);
    const SolveResult half = trueSolve(made, 45);
    const auto r = resumed(question, half);
    ASSERT_TRUE(r);
    std::vector<SolvedFrame> frames = half.frames;
    for (int f = 45; f < 80; ++f) {
        SolvedFrame& frame = frames.emplace_back();
        frame.frame = made.request.frames[size_t(f)];
        frame.focalPx = made.lens.focalPx;
    }
    extendByRotation(*r, frames);
    int extended = 0;
    for (size_t f = 45; f < 80; ++f) {
        if (!frames[f].solved) continue;
        ++extended;
        EXPECT_EQ(frames[f].origin, PoseOrigin::turned);
        EXPECT_LT(frames[f].pose.worldFromCamera.angularDistance(made.cameras[f].worldFromCamera), 0.002) << f;
        EXPECT_LT((frames[f].pose.position - made.cameras[44].position).norm(), 1e-9) << "the position is kept";
    }
    EXPECT_GT(extended, 20);
    for (size_t f = 0; f < 45; ++f) EXPECT_EQ(frames[f].origin, PoseOrigin::solved);
}

TEST(ExtendByRotation, AMoveIsNoRotation) {
    // The camera goes on moving: a rotation explains too few of the paths.
    SyntheticOptions o = exact();
    o.camera = [](double t) { return lookAlong({-6 + 12 * t, 0, 0}, 0.05, 0); };
    const SyntheticShot made = makeSyntheticShot(o);
    const SolveQuestion question(made.paths, made.request);
    const SolveResult part = trueSolve(made, 20);
    const auto r = resumed(question, part);
    ASSERT_TRUE(r);
    std::vector<SolvedFrame> frames = part.frames;
    for (int f = 20; f < 40; ++f) frames.emplace_back().frame = made.request.frames[size_t(f)];
    extendByRotation(*r, frames);
    EXPECT_FALSE(frames.back().solved);
}

// A frame that was added by points which were set aside since is held by nothing.
TEST(ViewIsHeld, ByWhatIsInUse) {
    SyntheticOptions o;
    o.frames = 12, o.points = 40;
    const SyntheticShot made = makeSyntheticShot(o);
    const SolveQuestion question(made.paths, made.request);
    Reconstruction r(question.observations, question.lens);
    const FrameIndex frame(5);
    std::vector<int> seen;  // observations of the frame that count
    for (const int i : r.observations().byFrame[frame])
        if (!r.observations().heldBack[size_t(r.observations().all[size_t(i)].path)]) seen.push_back(i);
    ASSERT_GE(seen.size(), 20U);
    EXPECT_FALSE(viewIsHeld(r, frame)) << "no point has a place";
    for (int p = 0; p < r.observations().pathCount(); ++p) r.setPoint(p, Eigen::Vector3d(0, 0, 5));
    const auto use = [&](int count) {
        for (size_t k = 0; k < seen.size(); ++k) r.setUse(seen[k], int(k) < count);
        return viewIsHeld(r, frame);
    };
    const int fewest = r.observations().fewest.seen;
    EXPECT_TRUE(use(int(seen.size())));
    EXPECT_TRUE(use(fewest));
    EXPECT_FALSE(use(fewest - 1)) << "of many more that it sees";
    EXPECT_FALSE(use(0));
    // In use, but without a place any more.
    use(int(seen.size()));
    for (size_t k = 3; k < seen.size(); ++k) r.dropPoint(r.observations().all[size_t(seen[k])].path);
    EXPECT_FALSE(viewIsHeld(r, frame));
}

/// A free solve from nothing, up to where the lens is weighed.
struct Finished {
    SolveResult result;
    Intrinsics lens;
    double disagreement = 0;
};
Finished finished(const SyntheticOptions& o) {
    const SyntheticShot made = makeSyntheticShot(o);
    SolveRequest asked = made.request;
    asked.focal = asked.distortion = Known::unknown;
    SolveQuestion question(made.paths, asked);
    Progress progress;
    const auto pairs = rankStartPairs(question.observations, chooseKeyframes(question.observations), asked.seed);
    Finished out;
    if (pairs.empty()) return out;
    Growth growth(question, pairs, pairs.front().parallax, progress);
    const auto r = growth.grow(false);
    if (!r) return out;
    FreeFinish finish(question, growth, progress, out.result);
    finish.weighDistortion(*r);
    out.lens = r->lens();
    out.disagreement = finish.disagreement();
    return out;
}

/// Whether growth that is only wanted for a steady lens goes on to the end.
bool growsSteady(const SyntheticOptions& o) {
    const SyntheticShot made = makeSyntheticShot(o);
    SolveRequest asked = made.request;
    asked.focal = Known::unknown;
    const SolveQuestion question(made.paths, asked);
    Progress progress;
    const auto pairs = rankStartPairs(question.observations, chooseKeyframes(question.observations), asked.seed);
    if (pairs.empty()) return false;
    Growth growth(question, pairs, pairs.front().parallax, progress);
    return growth.grow(false, true) != nullptr;
}

TEST(Growth, LetsGoOfASteadyLensWhereKeyframesZoom) {
    for (const uint64_t seed : {1, 2, 3}) {
        SyntheticOptions o;
        o.seed = seed;
        EXPECT_TRUE(growsSteady(o)) << "steady, seed " << seed;
        o.noisePx = 0.5;
        EXPECT_TRUE(growsSteady(o)) << "noise, seed " << seed;
        o.noisePx = 0.1;
        o.outlierShare = 0.2;
        EXPECT_TRUE(growsSteady(o)) << "wrong paths, seed " << seed;
        o.outlierShare = 0;
        o.zoomTo = 1.1;
        EXPECT_FALSE(growsSteady(o)) << "zoom, seed " << seed;
    }
    // A shake that the rows of a rolling shutter bend is no zoom.
    SyntheticOptions shake;
    shake.readout = 0.7;
    shake.camera = [](double t) {
        return lookAlong({-2 + 4 * t, 0.05 * std::sin(40 * t), 0}, 0.02 * std::sin(47 * t), 0.02 * std::sin(53 * t));
    };
    EXPECT_TRUE(growsSteady(shake));
}

TEST(FreeFinish, SaysHowSureTheLensIs) {
    SyntheticOptions o;
    o.k1 = -0.12;
    const Finished f = finished(o);
    EXPECT_LT(f.result.distortionRefusedPx, 0) << "forty frames across a scene tell it";
    ASSERT_FALSE(f.result.lensNumbers.empty());
    for (const LensNumber& n : f.result.lensNumbers) {
        EXPECT_GT(n.sigma, 0) << n.name;
        const double truth = n.name == "focal" ? 1100 : n.name == "k1" ? o.k1 : o.k2;
        EXPECT_LT(std::fabs(n.value - truth), 4 * n.sigma) << n.name << " is " << n.value << " ± " << n.sigma;
    }
    EXPECT_GT(f.result.lensMapSigmaPx, 0);
    EXPECT_LT(f.result.lensMapSigmaPx, 0.5);
    // Noise that is drawn anew for each observation makes paths agree as their covariances say.
    EXPECT_LT(f.disagreement, 1.3);
}

TEST(FreeFinish, RefusesADistortionThatTheFramesDoNotTell) {
    SyntheticOptions o;
    o.k1 = o.k2 = 0;
    o.noisePx = 0.6;
    o.points = 60;
    o.frames = 8;
    o.camera = [](double t) { return lookAlong({1.2 * t, 0, 0}, 0, 0); };
    const Finished f = finished(o);
    ASSERT_GT(f.lens.focalPx, 0) << "there is a solve";
    EXPECT_GE(f.result.distortionRefusedPx, 0.5);
    EXPECT_TRUE(f.lens.lens.isZero()) << "taken as none";
    for (const LensNumber& n : f.result.lensNumbers) EXPECT_EQ(n.name, "focal");
}

}  // namespace
}  // namespace va::test
