// SPDX-License-Identifier: GPL-3.0-or-later
#include "synthetic_shot.h"

#include <random>

namespace va::test {

CameraPose lookAlong(const Eigen::Vector3d& position, double azimuth, double pitch) {
    CameraPose p;
    p.position = position;
    p.worldFromCamera =
        Eigen::AngleAxisd(-azimuth, Eigen::Vector3d::UnitY()) * Eigen::AngleAxisd(pitch, Eigen::Vector3d::UnitX());
    return p;
}

SyntheticShot makeSyntheticShot(const SyntheticOptions& o) {
    SyntheticShot s;
    std::mt19937_64 random(o.seed);
    std::uniform_real_distribution<double> uniform(0, 1);
    std::normal_distribution<double> noise(0, o.noisePx);
    const auto camera = o.camera ? o.camera : [](double t) {
        return lookAlong({-2 + 4 * t, 0.3 * t, 0.5 * t}, 0.12 - 0.3 * t, 0.02);
    };
    for (int f = 0; f < o.frames; ++f) s.cameras.push_back(camera(o.frames > 1 ? double(f) / (o.frames - 1) : 0));
    s.lens.focalPx = o.focalPx;
    s.lens.principalPoint = {(o.width - 1) / 2.0, (o.height - 1) / 2.0};
    s.lens.lens.setValue("k1", o.k1);
    s.lens.lens.setValue("k2", o.k2);
    for (int f = 0; f < o.frames; ++f) {
        const double t = o.frames > 1 ? double(f) / (o.frames - 1) : 0;
        s.focals.push_back(o.focalPx * std::pow(o.zoomTo, t * t * (3 - 2 * t)));
        // Driving across in front of the middle of the path, eight units away.
        CameraPose m;
        const CameraPose& middle = s.cameras[size_t(o.frames / 2)];
        m.position = middle.position + middle.worldFromCamera * Eigen::Vector3d(-2 + 4 * t, -0.5, -8 + t);
        m.worldFromCamera = Eigen::AngleAxisd(0.5 + 0.8 * t, Eigen::Vector3d::UnitY());
        s.mover.push_back(m);
    }
    for (int i = 0; i < o.points; ++i) {
        // From a camera of the path, so that every part of the shot sees some.
        const CameraPose& from = s.cameras[size_t(uniform(random) * o.frames) % size_t(o.frames)];
        const Eigen::Vector2d pixel(uniform(random) * o.width, uniform(random) * o.height);
        const Eigen::Vector3d ray = *worldRay(from, s.lens, pixel);
        const double depth = 4 + 16 * uniform(random) * uniform(random);
        Eigen::Vector3d x = from.position + depth * ray;
        if (o.flat) x = from.position + ray * ((-10 - from.position.z()) / ray.z());
        Path path;
        path.id = i + 1;
        const bool moves = uniform(random) < o.moverShare;
        if (moves) {
            x = Eigen::Vector3d(uniform(random) - 0.5, uniform(random) - 0.5, uniform(random) - 0.5) * 2;
            s.moverPaths.push_back(path.id);
        }
        s.points.push_back(x);
        const bool wrong = uniform(random) < o.outlierShare;
        for (int f = 0; f < o.frames; ++f) {
            Intrinsics lens = s.lens;
            lens.focalPx = s.focals[size_t(f)];
            const CameraPose& m = s.mover[size_t(f)];
            const Eigen::Vector3d place = moves ? Eigen::Vector3d(m.position + m.worldFromCamera * x) : x;
            auto p = project(s.cameras[size_t(f)], lens, place);
            // Seen when its row is read, which decides the row.
            for (int round = 0; round < 6 && p && o.readout != 0; ++round)
                p = project(camera((f + o.readout * (p->y() / (o.height - 1) - 0.5)) / (o.frames - 1)), lens, place);
            if (!p || p->x() < 0 || p->y() < 0 || p->x() > o.width - 1 || p->y() > o.height - 1) continue;
            PathPoint q;
            q.frame = 1001 + f;
            q.x = p->x() + noise(random);
            q.y = p->y() + noise(random);
            if (wrong) q.x = uniform(random) * o.width, q.y = uniform(random) * o.height;
            q.sxx = q.syy = float(std::max(1e-4, o.noisePx * o.noisePx));
            if (!path.points.empty() && path.points.back().frame != q.frame - 1)
                break;  // real tracking does not come back
            path.points.push_back(q);
        }
        if (path.points.size() >= 3) s.paths.push_back(std::move(path));
    }
    for (int f = 0; f < o.frames; ++f) s.request.frames.push_back(1001 + f);
    s.request.width = o.width;
    s.request.height = o.height;
    return s;
}

}  // namespace va::test
