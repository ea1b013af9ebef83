// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <cmath>
#include <functional>
#include <random>

#include "solve/mover_steady.h"
#include "synthetic_shot.h"

namespace va {
namespace {

constexpr double degree = M_PI / 180;
using Turn = std::function<Eigen::Quaterniond(int frame)>;

/// A thing of half a unit before a camera on a shoulder, and a solve of it whose rotations are off by chance.
struct Made {
    CameraTrack camera;
    SolveResult mover;
    std::vector<Path> paths;
    std::vector<Eigen::Quaterniond> truth;  ///< of the thing in the world

    Made(int frames, const Turn& turn, double jitterDeg, uint64_t seed = 3) {
        std::mt19937_64 random(seed);
        std::normal_distribution<double> normal;
        camera.motion = mover.motion = Motion::free;
        camera.lens.focalPx = 900;
        camera.lens.principalPoint = {479.5, 269.5};
        mover.lens = camera.lens;
        for (int p = 0; p < 30; ++p) {
            SolvedPoint point;
            point.pathId = p + 1;
            point.position = 0.25 * Eigen::Vector3d(normal(random), normal(random), normal(random));
            point.stretch = {1, frames};
            mover.points.push_back(point);
            paths.emplace_back().id = p + 1;
        }
        for (int f = 1; f <= frames; ++f) {
            SolvedFrame c;
            c.frame = f, c.solved = true, c.focalPx = 900, c.observations = int(mover.points.size());
            c.pose = test::lookAlong({0.05 * f, 0.02 * std::sin(2.1 * f), 0}, 0.01 * std::sin(1.7 * f), 0.01);
            camera.frames.push_back(c);
            truth.push_back(turn(f));
            const Eigen::Vector3d stands(0.05 * f + 0.5 * std::sin(0.03 * f), 0, -5);
            // The camera as the thing sees it.
            SolvedFrame m = c;
            m.pose.position = truth.back().conjugate() * (c.pose.position - stands);
            m.pose.worldFromCamera = truth.back().conjugate() * c.pose.worldFromCamera;
            for (size_t p = 0; p < paths.size(); ++p)
                if (const auto at = project(m.pose, mover.lens, mover.points[p].position)) {
                    PathPoint q;
                    q.frame = f, q.x = float(at->x()), q.y = float(at->y());
                    paths[p].points.push_back(q);
                }
            const Eigen::Vector3d off =
                jitterDeg * degree * Eigen::Vector3d(normal(random), normal(random), normal(random));
            const Eigen::Quaterniond by(Eigen::AngleAxisd(off.norm(), off.normalized()));
            // A rotation that is off about the thing's middle: that is what features leave open.
            m.pose.position = by * m.pose.position;
            m.pose.worldFromCamera = by * m.pose.worldFromCamera;
            mover.frames.push_back(m);
        }
        // As features err that leave so much of a rotation open.
        mover.rmsPx = 6 * jitterDeg;
    }

    [[nodiscard]] double errorDeg(const SolveResult& solve, size_t i) const {
        const Eigen::Quaterniond is =
            camera.frames[i].pose.worldFromCamera * solve.frames[i].pose.worldFromCamera.conjugate();
        return is.angularDistance(truth[i]) / degree;
    }
    [[nodiscard]] double errorDeg(const SolveResult& solve) const {
        double sum = 0;
        for (size_t i = 0; i < truth.size(); ++i) sum += std::pow(errorDeg(solve, i), 2);
        return std::sqrt(sum / double(truth.size()));
    }
    /// Root mean square of how far the points are seen from where they are.
    [[nodiscard]] double errorPx(const SolveResult& solve) const {
        double sum = 0, n = 0;
        for (const Path& path : paths)
            for (const PathPoint& q : path.points) {
                const auto at = project(solve.frames[size_t(q.frame) - 1].pose, solve.lens,
                                        solve.points[size_t(path.id) - 1].position);
                sum += at ? (*at - Eigen::Vector2d(q.x, q.y)).squaredNorm() : 1e6, ++n;
            }
        return std::sqrt(sum / n);
    }
};

Eigen::Quaterniond evenly(int f) {
    return Eigen::AngleAxisd((2.0 * f + 3 * std::sin(0.12 * f)) * degree, Eigen::Vector3d::UnitY()) *
           Eigen::Quaterniond(Eigen::AngleAxisd(1.2 * std::sin(0.23 * f) * degree, Eigen::Vector3d::UnitX()));
}

TEST(MoverSteady, JitterOfAnEvenTurnGoes) {
    for (const int frames : {40, 120, 330}) {
        const Made made(frames, evenly, 0.2);
        const SolveResult steady = withSteadyTurn(made.mover, made.camera, made.paths);
        const double before = made.errorDeg(made.mover), after = made.errorDeg(steady);
        EXPECT_GT(before, 0.25) << frames;
        EXPECT_LT(after, 0.65 * before) << frames << " frames";
        EXPECT_LT(made.errorPx(steady), 0.75 * made.errorPx(made.mover)) << "the thing stands anew where it is seen";
        for (const SolvedFrame& f : steady.frames) EXPECT_TRUE(f.pose.position.allFinite() && std::isfinite(f.rmsPx));
    }
}

TEST(MoverSteady, ATurnThatIsRightStays) {
    // Without jitter nothing asks for smoothing, however the thing moves.
    const Made even(80, evenly, 1e-4);
    EXPECT_LT(even.errorDeg(withSteadyTurn(even.mover, even.camera, even.paths)), 0.002);
    std::mt19937_64 random(5);
    std::normal_distribution<double> normal;
    std::vector<double> wild{0};
    for (int f = 1; f <= 80; ++f) wild.push_back(wild.back() + 2 * normal(random));
    const Made shaken(
        80,
        [&](int f) {
            return Eigen::Quaterniond(Eigen::AngleAxisd(wild[size_t(f)] * degree, Eigen::Vector3d::UnitZ()));
        },
        0.05);
    EXPECT_LT(shaken.errorDeg(withSteadyTurn(shaken.mover, shaken.camera, shaken.paths)), 0.12);
}

TEST(MoverSteady, AJoltStays) {
    const auto jolted = [](int f) {
        const double jolt = f == 30 ? 2 : 0;
        return Eigen::Quaterniond(Eigen::AngleAxisd(jolt * degree, Eigen::Vector3d::UnitX())) * evenly(f);
    };
    const Made made(60, jolted, 0.05);
    const SolveResult steady = withSteadyTurn(made.mover, made.camera, made.paths);
    EXPECT_EQ(made.errorDeg(steady, 29), made.errorDeg(made.mover, 29)) << "frame 30 keeps its pose";
    for (const size_t near : {27U, 28U, 30U, 31U}) EXPECT_LT(made.errorDeg(steady, near), 0.2) << near;
}

TEST(MoverSteady, TooLittleStaysAsItIs) {
    const auto unchanged = [](const Made& made) {
        const SolveResult r = withSteadyTurn(made.mover, made.camera, made.paths);
        for (size_t i = 0; i < r.frames.size(); ++i)
            if (!r.frames[i].pose.worldFromCamera.isApprox(made.mover.frames[i].pose.worldFromCamera, 0)) return false;
        return true;
    };
    EXPECT_TRUE(unchanged(Made(12, evenly, 0.2)));
    Made gap(30, evenly, 0.2);
    gap.camera.frames[15].solved = false;
    EXPECT_TRUE(unchanged(gap)) << "fifteen and fourteen frames";
    Made unsolved(40, evenly, 0.2);
    unsolved.mover.motion = Motion::none;
    EXPECT_TRUE(unchanged(unsolved));
    Made unseen(40, evenly, 0.2);
    unseen.paths.clear();
    EXPECT_TRUE(unchanged(unseen));
    EXPECT_FALSE(unchanged(Made(40, evenly, 0.2)));
}

}  // namespace
}  // namespace va
