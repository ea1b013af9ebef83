// SPDX-License-Identifier: GPL-3.0-or-later
// What a solve must never do, and what it must bear, over random shots.
#include <gtest/gtest.h>

#include <cmath>
#include <random>
#include <set>

#include "solve/solver.h"
#include "synthetic_shot.h"

namespace va {
namespace {

using test::lookAlong;
using test::makeSyntheticShot;
using test::SyntheticOptions;
using test::SyntheticShot;

SolveResult solve(const SyntheticShot& s) {
    Progress progress;
    return solveShot(s.paths, s.request, progress);
}

/// Errors of a free solve after the similarity that positions and turns agree best with.
struct Errors {
    double focal = 0;     ///< share, worst frame
    double rotation = 0;  ///< radians, root mean square
    double place = 0;     ///< of the path's length, root mean square
};

Errors errorsOf(const SyntheticShot& s, const SolveResult& r) {
    Errors e;
    const size_t n = s.cameras.size();
    Eigen::MatrixXd ours = Eigen::MatrixXd::Zero(3, Eigen::Index(n)), truth = ours;
    double length = 0;
    for (size_t f = 0; f < n; ++f) {
        ours.col(Eigen::Index(f)) = r.frames[f].pose.position;
        truth.col(Eigen::Index(f)) = s.cameras[f].position;
        if (f > 0) length += (s.cameras[f].position - s.cameras[f - 1].position).norm();
        e.focal = std::max(e.focal, std::fabs(r.frames[f].focalPx / s.focals[f] - 1));
    }
    const Eigen::MatrixXd t = Eigen::umeyama(ours, truth, true);
    const Eigen::MatrixXd moved = (t.topLeftCorner(3, 3) * ours).colwise() + Eigen::VectorXd(t.topRightCorner(3, 1));
    e.place = std::sqrt((moved - truth).squaredNorm() / double(n)) / length;
    const Eigen::Quaterniond first = s.cameras[0].worldFromCamera * r.frames[0].pose.worldFromCamera.conjugate();
    for (size_t f = 0; f < n; ++f)
        e.rotation +=
            std::pow((first * r.frames[f].pose.worldFromCamera).angularDistance(s.cameras[f].worldFromCamera), 2);
    e.rotation = std::sqrt(e.rotation / double(n));
    return e;
}

// Common practice: a camera that only turns gives no depth, and a solve that makes a path of it is wrong without
// looking so.
TEST(MoveChoice, FiftyRandomPansAreNeverFree) {
    int wrong = 0;
    for (int i = 0; i < 50; ++i) {
        SyntheticOptions o;
        o.seed = uint64_t(1000 + i);
        o.points = 200, o.frames = 30;
        std::mt19937 random(unsigned(o.seed));
        std::uniform_real_distribution<double> u(-1, 1);
        const double sweep = 0.6 * u(random), tilt = 0.2 * u(random), roll = 0.1 * u(random),
                     shake = 0.006 * std::fabs(u(random));
        o.noisePx = 0.05 + 0.1 * std::fabs(u(random));
        o.k1 = 0.08 * u(random);
        o.focalPx = 1100 + 500 * u(random);
        o.outlierShare = i % 3 == 0 ? 0.15 : 0;
        o.camera = [=](double t) {
            CameraPose p =
                lookAlong({1, 2, 3}, sweep * (t - 0.5) + shake * std::sin(40 * t), tilt * t + shake * std::cos(31 * t));
            p.worldFromCamera =
                p.worldFromCamera * Eigen::Quaterniond(Eigen::AngleAxisd(roll * t, Eigen::Vector3d::UnitZ()));
            return p;
        };
        const SolveResult r = solve(makeSyntheticShot(o));
        wrong += r.motion == Motion::free;
        EXPECT_NE(r.motion, Motion::free)
            << "pan " << i << " sweep " << sweep << " tilt " << tilt << " focal " << o.focalPx;
    }
    EXPECT_EQ(wrong, 0);
}

TEST(MoveChoice, FiftyRandomFreeMovesAreNeverPans) {
    int shown = 0;
    for (int i = 0; i < 50; ++i) {
        SyntheticOptions o;
        o.seed = uint64_t(2000 + i);
        o.points = 200, o.frames = 30;
        std::mt19937 random(unsigned(o.seed));
        std::uniform_real_distribution<double> u(-1, 1);
        o.noisePx = 0.05 + 0.1 * std::fabs(u(random));
        o.focalPx = 1100 + 400 * u(random);
        o.k1 = 0.05 * u(random);
        const Eigen::Vector3d along = Eigen::Vector3d(u(random), 0.5 * u(random), u(random)).normalized();
        const double rotation = 0.3 * u(random), tilt = 0.1 * u(random);
        // As far as makes a parallax of a few pixels or many: points lie between 4 and 20 units away.
        const double far = (4 + 40 * std::fabs(u(random))) / o.focalPx * 6;
        o.camera = [=](double t) { return lookAlong(far * t * along, rotation * t, tilt * t); };
        const SolveResult r = solve(makeSyntheticShot(o));
        // Only what shows: parallax beyond a homography of more than three pixels.
        if (r.parallaxPx <= 3) continue;
        ++shown;
        EXPECT_EQ(r.motion, Motion::free) << "move " << i << " parallax " << r.parallaxPx;
    }
    EXPECT_GE(shown, 40);
}

TEST(WrongPaths, ThirtyInAHundredGrossAndTwentyOnAnotherMotion) {
    // Summed over a few draws of noise: what one lucky clean draw reaches by chance is no measure.
    Errors clean4, dirty4;
    for (int seed = 1; seed <= 4; ++seed) {
        SyntheticOptions clean;
        clean.seed = uint64_t(seed);
        clean.points = 250;
        SyntheticOptions dirty = clean;
        dirty.points = 500;
        dirty.outlierShare = 0.3;
        dirty.moverShare = 0.2;
        const SyntheticShot a = makeSyntheticShot(clean), b = makeSyntheticShot(dirty);
        const SolveResult ra = solve(a), rb = solve(b);
        ASSERT_EQ(ra.motion, Motion::free);
        ASSERT_EQ(rb.motion, Motion::free);
        ASSERT_EQ(rb.solvedCount(), 40);
        const Errors ea = errorsOf(a, ra), eb = errorsOf(b, rb);
        std::printf("clean: focal %.5f turn %.6f place %.6f   dirty: focal %.5f turn %.6f place %.6f\n", ea.focal,
                    ea.rotation, ea.place, eb.focal, eb.rotation, eb.place);
        clean4.focal += ea.focal, clean4.rotation += ea.rotation, clean4.place += ea.place;
        dirty4.focal += eb.focal, dirty4.rotation += eb.rotation, dirty4.place += eb.place;
    }
    EXPECT_LE(dirty4.focal, 2 * clean4.focal);
    EXPECT_LE(dirty4.rotation, 2 * clean4.rotation);
    EXPECT_LE(dirty4.place, 2 * clean4.place);
}

TEST(Zoom, FoundInAFreeMove) {
    for (const double to : {1.8, 0.6}) {
        SyntheticOptions o;
        o.frames = 50;
        o.zoomTo = to;
        o.points = 500;
        const SyntheticShot s = makeSyntheticShot(o);
        const SolveResult r = solve(s);
        ASSERT_EQ(r.motion, Motion::free);
        EXPECT_EQ(r.solvedCount(), 50);
        EXPECT_TRUE(r.zooms);
        const Errors e = errorsOf(s, r);
        EXPECT_LT(e.focal, 0.01) << to;
        EXPECT_LT(e.place, 0.01) << to;
        EXPECT_LT(r.rmsPx, 0.2);
    }
}

// A large thing that drives and turns by itself in front of a tripod makes no travel of a pan.
TEST(MoveChoice, PansStayPansWhateverDrivesThrough) {
    for (const double share : {0.3, 0.4})
        for (int seed = 1; seed <= 2; ++seed) {
            SyntheticOptions o;
            o.seed = uint64_t(seed);
            o.frames = 50, o.points = 250;
            o.moverShare = share;
            const double sweep = seed % 2 == 0 ? 0.4 : -0.25;
            o.camera = [=](double t) { return lookAlong({0, 1, 0}, sweep * (t - 0.5), 0.05 * t); };
            const SyntheticShot s = makeSyntheticShot(o);
            const SolveResult r = solve(s);
            ASSERT_EQ(r.motion, Motion::nodalPan) << share << " seed " << seed;
            EXPECT_LT(r.rmsPx, 0.2) << share << " seed " << seed;
            EXPECT_LT(errorsOf(s, r).rotation, 0.002) << share << " seed " << seed;
            // What drives is named, and little else.
            std::set<int> named, driving(s.moverPaths.begin(), s.moverPaths.end());
            for (const SolveOutlier& path : r.outliers)
                if (path.whole) named.insert(path.pathId);
            const auto right = std::count_if(named.begin(), named.end(), [&](int id) { return driving.contains(id); });
            EXPECT_GE(right * 10, std::ssize(driving) * 7) << share << " seed " << seed;
            EXPECT_LE(std::ssize(named) - right, 15) << share << " seed " << seed;
        }
}

TEST(Zoom, FoundInANodalPan) {
    SyntheticOptions o;
    o.frames = 40;
    o.zoomTo = 1.6;
    o.points = 400;
    o.camera = [](double t) { return lookAlong({0, 1, 0}, -0.25 + 0.5 * t, 0.05 * t); };
    const SyntheticShot s = makeSyntheticShot(o);
    const SolveResult r = solve(s);
    ASSERT_EQ(r.motion, Motion::nodalPan);
    EXPECT_TRUE(r.zooms);
    EXPECT_LT(errorsOf(s, r).focal, 0.015);
    EXPECT_LT(errorsOf(s, r).rotation, 0.002);
}

// Pan and zoom together: neither takes up what is the lens's distortion.
TEST(Zoom, OfANodalPanTellsTheDistortionToo) {
    for (const uint64_t seed : {11U, 12U, 13U}) {
        SyntheticOptions o;
        o.seed = seed;
        o.width = 704, o.height = 396;
        o.focalPx = 508, o.k1 = -0.03, o.k2 = 0;
        o.frames = 56;
        o.zoomTo = 1.92;
        o.points = 400;
        o.camera = [](double t) { return lookAlong({0, 1, 0}, -0.24 + 0.52 * t, 0.02 + 0.08 * t); };
        const SyntheticShot s = makeSyntheticShot(o);
        const SolveResult r = solve(s);
        ASSERT_EQ(r.motion, Motion::nodalPan);
        EXPECT_TRUE(r.zooms);
        EXPECT_NEAR(r.lens.lens.value(0), -0.03, 0.01) << seed;
        EXPECT_LT(errorsOf(s, r).focal, 0.01) << seed;
        EXPECT_LT(errorsOf(s, r).rotation, 0.002) << seed;
    }
}

// Windows that hold two surfaces, or slide along an edge, are wrong over many frames: they must distort neither the
// turn nor the zoom.
TEST(Zoom, InANodalPanWhereAFifthOfThePathsSlides) {
    double focal = 0, rotation = 0;
    for (const uint64_t seed : {21U, 22U, 23U, 24U}) {
        SyntheticOptions o;
        o.seed = seed;
        o.frames = 50, o.points = 350;
        o.zoomTo = 1.8;
        o.camera = [](double t) { return lookAlong({0, 1, 0}, -0.2 + 0.4 * t, 0.05 * t); };
        SyntheticShot s = makeSyntheticShot(o);
        for (size_t k = 0; k < s.paths.size(); k += 5) {
            std::vector<PathPoint>& points = s.paths[k].points.own();
            // Outward as the lens closes in, as what stands behind an edge is uncovered.
            for (size_t i = 0; i < points.size(); ++i)
                points[i].x += 1.2 * (double(i) / double(points.size()) - 0.5) * (points[i].x > 640 ? 1 : -1);
        }
        const SolveResult r = solve(s);
        ASSERT_EQ(r.motion, Motion::nodalPan);
        focal += std::pow(errorsOf(s, r).focal, 2) / 4, rotation += std::pow(errorsOf(s, r).rotation, 2) / 4;
    }
    std::printf("focal %.5f turn %.6f\n", std::sqrt(focal), std::sqrt(rotation));
    EXPECT_LT(std::sqrt(focal), 0.0009);
    EXPECT_LT(std::sqrt(rotation), 0.00019);
}

// A statement of how sure the focal length is must hold where a share of the paths slides along edges, which no
// covariance of single registrations shows.
TEST(LensNumbers, DeviationsHoldWherePathsSlide) {
    for (const double sliding : {0.0, 0.2}) {
        double sum = 0, stated = 0;
        constexpr int repetitions = 24;
        for (int k = 0; k < repetitions; ++k) {
            SyntheticOptions o;
            o.seed = uint64_t(300 + k);
            o.points = 260, o.frames = 36;
            o.noisePx = 0.06;
            SyntheticShot s = makeSyntheticShot(o);
            std::mt19937 random(unsigned(900 + k));
            std::uniform_real_distribution<double> u(-1, 1);
            for (Path& p : s.paths) {
                const bool slides = 0.5 * (u(random) + 1) < sliding;
                const double angle = M_PI * u(random), far = 0.15 + 0.15 * std::fabs(u(random));
                for (size_t i = 0; slides && i < p.points.size(); ++i) {
                    const double along = far * (double(i) / double(p.points.size()) - 0.5);
                    p.points[i].x += along * std::cos(angle);
                    p.points[i].y += along * std::sin(angle);
                }
            }
            const SolveResult r = solve(s);
            ASSERT_EQ(r.motion, Motion::free);
            for (const LensNumber& n : r.lensNumbers)
                if (n.name == "focal") {
                    sum += std::pow((r.lens.focalPx - o.focalPx) / n.sigma, 2);
                    stated += n.sigma / o.focalPx / repetitions;
                }
        }
        const double over = std::sqrt(sum / repetitions);
        std::printf("sliding %.1f: stated %.5f, errors over it %.2f\n", sliding, stated, over);
        EXPECT_GT(over, 0.6);
        EXPECT_LT(over, 1.5);
    }
}

/// A swing from a tripod whose head shakes, with a rolling shutter.
SyntheticShot shakyPan(double readout, uint64_t seed) {
    SyntheticOptions o;
    o.seed = seed;
    o.frames = 60;
    o.points = 250;
    o.readout = readout;
    o.camera = [](double t) {
        return lookAlong({1, 2, 3}, 0.5 * (t - 0.5) + 0.012 * std::sin(50 * t), 0.05 * t + 0.01 * std::cos(41 * t));
    };
    return makeSyntheticShot(o);
}

// Common practice: sensors that read row by row shear the pictures of a fast pan. That is no travel of the camera, and
// the turn has to come out for the row that it is said to stand for.
TEST(RollingShutter, ANodalPanIsSolvedRowByRow) {
    for (const uint64_t seed : {3U, 4U, 5U}) {
        SyntheticShot s = shakyPan(0.6, seed);
        // Nobody has said that there is a rolling shutter: the pictures do.
        const SolveResult blind = solve(s);
        ASSERT_EQ(blind.motion, Motion::nodalPan);
        EXPECT_NEAR(blind.readout, 0.6, 0.012);
        EXPECT_LT(errorsOf(s, blind).rotation, 0.0008);
        s.request.readoutKnown = Known::known;
        s.request.readout = 0.6;
        const SolveResult known = solve(s);
        ASSERT_EQ(known.motion, Motion::nodalPan);
        EXPECT_EQ(known.solvedCount(), 60);
        EXPECT_DOUBLE_EQ(known.readout, 0.6);
        EXPECT_LT(known.readoutSigma, 0) << "a given time has no deviation";
        EXPECT_LT(known.rmsPx, 0.2);
        EXPECT_LT(errorsOf(s, known).rotation, 0.0008);
        EXPECT_LT(errorsOf(s, known).focal, 0.006);

        s.request.readout = 0;
        s.request.readoutKnown = Known::start;
        const SolveResult found = solve(s);
        ASSERT_EQ(found.motion, Motion::nodalPan);
        EXPECT_GT(found.readoutSigma, 0);
        EXPECT_LT(found.readoutSigma, 0.02);
        EXPECT_NEAR(found.readout, 0.6, 0.006);
        EXPECT_LT(errorsOf(s, found).rotation, 0.0008);
    }
    // Where all rows were read at once, that is found too.
    SyntheticShot s = shakyPan(0, 6);
    s.request.readoutKnown = Known::start;
    const SolveResult atOnce = solve(s);
    ASSERT_EQ(atOnce.motion, Motion::nodalPan);
    EXPECT_NEAR(atOnce.readout, 0, std::max(0.004, 4 * atOnce.readoutSigma));
}

// A camera that travels is not taken for one that turns, whatever its rows do.
TEST(RollingShutter, ATravelStaysATravel) {
    SyntheticOptions o;
    o.readout = 0.5;
    SyntheticShot s = makeSyntheticShot(o);
    s.request.readoutKnown = Known::start;
    const SolveResult r = solve(s);
    EXPECT_EQ(r.motion, Motion::free);
    EXPECT_NEAR(r.readout, 0.5, std::max(0.01, 4 * r.readoutSigma));
}

TEST(Zoom, NotSeenWhereThereIsNone) {
    for (int seed = 1; seed <= 8; ++seed) {
        SyntheticOptions o;
        o.seed = uint64_t(seed);
        o.noisePx = 0.2;
        const SolveResult r = solve(makeSyntheticShot(o));
        EXPECT_FALSE(r.zooms) << seed;
    }
}

}  // namespace
}  // namespace va
