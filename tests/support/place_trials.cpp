// SPDX-License-Identifier: GPL-3.0-or-later
#include "place_trials.h"

#include <array>
#include <cmath>
#include <optional>
#include <random>

namespace va::test {
namespace {

using Eigen::Vector3d;

constexpr int width = 1280, height = 720, firstFrame = 1001;

/// An upright block on the ground: a wall is a long thin one.
struct Block {
    Vector3d middle;  ///< of its foot
    double halfX, halfZ, tall, turn;

    [[nodiscard]] Vector3d toWorld(const Vector3d& own) const {
        return middle + Eigen::AngleAxisd(turn, Vector3d::UnitY()) * own;
    }
    /// Distance along a ray, and whether it is hit.
    [[nodiscard]] std::optional<double> hit(const Vector3d& origin, const Vector3d& direction) const {
        const Eigen::Quaterniond back(Eigen::AngleAxisd(-turn, Vector3d::UnitY()));
        const Vector3d o = back * (origin - middle), d = back * direction;
        const Vector3d low(-halfX, 0, -halfZ), high(halfX, tall, halfZ);
        double from = 0, to = 1e9;
        for (int i = 0; i < 3; ++i) {
            const double a = (low[i] - o[i]) / d[i], b = (high[i] - o[i]) / d[i];
            from = std::max(from, std::min(a, b)), to = std::min(to, std::max(a, b));
        }
        return from < to && from > 0.1 ? std::optional(from) : std::nullopt;
    }
};

}  // namespace

PlaceOptions mixedPlace(uint64_t seed) {
    std::mt19937_64 random(seed * 7919 + 1);
    std::uniform_real_distribution<double> uniform(0, 1);
    PlaceOptions o;
    o.walls = int(uniform(random) * 3);
    o.boxes = 2 + int(uniform(random) * 5);
    o.hilly = seed % 5 == 4;
    o.stones = 0.2 + 0.6 * uniform(random);
    o.noisePx = 0.08 + 0.2 * uniform(random);
    o.features = 260 + int(uniform(random) * 400);
    return o;
}

PlaceTrial makePlace(const PlaceOptions& o, uint64_t seed) {
    PlaceTrial out;
    std::mt19937_64 random(seed);
    std::uniform_real_distribution<double> uniform(0, 1);
    std::normal_distribution<double> normal(0, 1);
    std::gamma_distribution<double> stone(1.5, 0.03);
    const auto between = [&](double a, double b) { return a + (b - a) * uniform(random); };
    out.hilly = o.hilly;
    out.walls = o.walls;
    out.lens.focalPx = between(800, 1500);
    out.lens.principalPoint = {(width - 1) / 2.0, (height - 1) / 2.0};
    out.lens.lens.setValue("k1", between(-0.08, 0.02));

    std::vector<Block> blocks;
    for (int i = 0; i < o.walls; ++i)
        blocks.push_back({{between(-5, 5), 0, -between(6, 11)},
                          between(1.5, 4),
                          0.1,
                          between(2, 4),
                          (i % 2 ? 1 : -1) * between(0.1, 0.9)});
    for (int i = 0; i < o.boxes; ++i)
        blocks.push_back({{between(-4, 4), 0, -between(3, 8)},
                          between(0.2, 0.6),
                          between(0.2, 0.6),
                          between(0.3, 1.2),
                          between(0, 3)});
    std::array<std::array<double, 4>, 5> hills{};
    for (auto& h : hills) h = {between(0.03, 0.12), between(0.6, 2.2), between(0.6, 2.2), between(0, 6)};
    const auto groundAt = [&](double x, double z) {
        double y = 0;
        if (o.hilly)
            for (const auto& h : hills) y += h[0] * std::sin(h[1] * x + h[2] * z + h[3]);
        return y;
    };

    const double tall = between(1.0, 2.2), pitch = between(-0.32, -0.08), roll = 0.03 * normal(random);
    const double run = between(1.2, 3.5), ahead = between(-0.6, 0.6);
    for (int f = 0; f < o.frames; ++f) {
        const double t = double(f) / (o.frames - 1);
        CameraPose p;
        p.position = {-run / 2 + run * t + 0.01 * std::sin(17 * t), tall + 0.05 * t + 0.01 * std::sin(23 * t),
                      ahead * t};
        p.worldFromCamera = Eigen::AngleAxisd(0.25 * (t - 0.5), Vector3d::UnitY()) *
                            Eigen::AngleAxisd(pitch + 0.01 * std::sin(11 * t), Vector3d::UnitX()) *
                            Eigen::AngleAxisd(roll + 0.01 * std::sin(9 * t), Vector3d::UnitZ());
        out.cameras.push_back(p);
        out.request.frames.push_back(firstFrame + f);
    }
    out.request.width = width;
    out.request.height = height;

    const auto nearest = [&](const Vector3d& origin, const Vector3d& d, double limit) {
        double far = limit;
        for (const Block& b : blocks)
            if (const auto hit = b.hit(origin, d); hit && *hit < far) far = *hit;
        return far;
    };
    int id = 1;
    for (int i = 0; i < o.features * 3 && id <= o.features; ++i) {
        const CameraPose& from = out.cameras[size_t(uniform(random) * o.frames)];
        const Vector3d d = *worldRay(from, out.lens, {between(0, width), between(0, height)});
        const double block = nearest(from.position, d, 60);
        double ground = 1e9;
        if (o.ground && d.y() < -1e-3) ground = -from.position.y() / d.y();
        Vector3d x;
        if (block < ground && block < 60) {
            x = from.position + block * d + 0.008 * Vector3d(normal(random), normal(random), normal(random));
        } else if (ground < 60) {
            x = from.position + ground * d;
            // A flat view meets what lies on the ground before it meets the ground.
            const double flat = std::exp(-std::fabs(d.y()) * 6);
            x.y() = groundAt(x.x(), x.z()) + 0.002 * normal(random);
            if (uniform(random) < o.stones + (1 - o.stones) * flat) x.y() += stone(random) * (1 + 2 * flat);
        } else {
            // Far things above the horizon.
            x = from.position + between(20, 60) * d;
            if (x.y() < 0) continue;
        }
        Path path;
        path.id = id;
        for (int f = 0; f < o.frames; ++f) {
            const auto p = project(out.cameras[size_t(f)], out.lens, x);
            if (!p || p->x() < 0 || p->y() < 0 || p->x() > width - 1 || p->y() > height - 1) continue;
            if (!path.points.empty() && path.points.back().frame != firstFrame + f - 1) break;
            PathPoint q;
            q.frame = firstFrame + f;
            q.x = p->x() + o.noisePx * normal(random);
            q.y = p->y() + o.noisePx * normal(random);
            q.sxx = q.syy = float(o.noisePx * o.noisePx);
            path.points.push_back(q);
        }
        if (path.points.size() < 5) continue;
        out.paths.push_back(std::move(path));
        ++id;
    }
    // Edges in four frames, where both ends are seen and nothing stands before the middle.
    for (int k = 0; k < 4; ++k) {
        const int f = (o.frames - 1) * (2 * k + 1) / 8;
        const CameraPose& c = out.cameras[size_t(f)];
        const auto see = [&](const Vector3d& a, const Vector3d& b) {
            const auto pa = project(c, out.lens, a), pb = project(c, out.lens, b);
            const Vector3d middle = (a + b) / 2, d = (middle - c.position).normalized();
            if (!pa || !pb || nearest(c.position, d, 1e9) < 0.97 * (middle - c.position).norm()) return;
            if ((*pb - *pa).norm() < 60 || (*pa - out.lens.principalPoint).norm() > 730 ||
                (*pb - out.lens.principalPoint).norm() > 730)
                return;
            const auto jolt = [&] { return Eigen::Vector2d(0.25 * normal(random), 0.25 * normal(random)); };
            out.lines.push_back({firstFrame + f, *pa + jolt(), *pb + jolt()});
        };
        for (const Block& b : blocks)
            for (const double x : {-b.halfX, b.halfX})
                for (const double z : {-b.halfZ, b.halfZ}) {
                    see(b.toWorld({x, 0, z}), b.toWorld({x, b.tall, z}));
                    see(b.toWorld({x, b.tall, z}), b.toWorld({-x, b.tall, z}));
                    see(b.toWorld({x, b.tall, z}), b.toWorld({x, b.tall, -z}));
                }
        // A few that lean.
        for (int i = 0; i < 3; ++i) {
            const Vector3d foot(between(-4, 4), 0, -between(3, 9));
            see(foot, foot + Vector3d(between(-0.8, 0.8), 1.5, between(-0.8, 0.8)));
        }
    }
    return out;
}

Eigen::Vector3d trueUp(const CameraTrack& solve, const std::vector<CameraPose>& cameras) {
    Vector3d sum = Vector3d::Zero();
    for (size_t i = 0; i < cameras.size(); ++i)
        if (const SolvedFrame* f = solve.at(firstFrame + int(i)); f && f->solved)
            sum += f->pose.worldFromCamera * (cameras[i].worldFromCamera.conjugate() * Vector3d::UnitY());
    return sum.normalized();
}

}  // namespace va::test
