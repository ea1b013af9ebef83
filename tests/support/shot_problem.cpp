// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot_problem.h"

#include <Eigen/Geometry>
#include <cmath>
#include <random>

#include "solve/minimal/resect.h"

namespace va::test {

ShotProblem makeShotProblem(const ShotProblemOptions& o) {
    ShotProblem out;
    BundleProblem& t = out.truth;
    std::mt19937_64 random(o.seed);
    std::normal_distribution<double> gauss;
    std::uniform_real_distribution<double> unit(0, 1);
    Intrinsics lens;
    lens.focalPx = 0.9 * o.width;
    lens.principalPoint = {(o.width - 1) / 2.0, (o.height - 1) / 2.0};
    lens.lens = LensModel::brownConrady(-0.06, 0.012);
    t.lenses = {lens};
    const double far = o.rotationOnly ? 0 : 0.05 * o.views;
    t.height = o.height;
    t.readout = o.readout;
    for (int v = 0; v < o.views; ++v) {
        const double s = double(v) / std::max(1, o.views - 1);
        const Eigen::Vector3d at(far * s, 0.2 * std::sin(9 * s) * (o.rotationOnly ? 0 : 1),
                                 far > 0 ? 0.3 * std::sin(5 * s) : 0);
        const double rotation = o.rotationOnly ? 0.6 * s : 0.1 * std::sin(6 * s);
        View view;
        view.rotation = (Eigen::AngleAxisd(-rotation, Eigen::Vector3d::UnitY()) *
                         Eigen::AngleAxisd(0.04 * std::sin(11 * s), Eigen::Vector3d::UnitX()))
                            .toRotationMatrix();
        view.translation = -view.rotation * at;
        t.views.push_back(view);
        t.lensOfView.push_back(0);
        t.timeOfView.push_back(v);
        if (o.zoom) t.focalOfView.push_back(lens.focalPx * (1 + 0.6 * s * s * (3 - 2 * s)));
    }
    if (o.readout != 0)
        for (int v = 0; v < o.views; ++v) {
            // How the neighbours say that the view moves: by central differences.
            const int a = std::max(0, v - 1), b = std::min(o.views - 1, v + 1);
            const View &x = t.views[size_t(a)], &y = t.views[size_t(b)];
            const Eigen::AngleAxisd rotation(y.rotation * x.rotation.transpose());
            ViewRate rate;
            rate.first.head<3>() = rotation.angle() * rotation.axis() / (b - a);
            rate.first.tail<3>() = -t.views[size_t(v)].rotation * (y.centre() - x.centre()) / (b - a);
            t.rates.push_back(rate);
        }
    const Eigen::Matrix2d sqrtInformation = Eigen::Matrix2d::Identity() / std::max(o.noisePx, 1e-3);
    for (int p = 0; p < o.points; ++p) {
        // Thrown out of a random view's frame, seen for a stretch around it.
        const int middle = int(unit(random) * o.views);
        const double depth = 4 + 16 * unit(random) * unit(random);
        const Intrinsics inner = t.intrinsics(middle);
        const auto ray = inner.normalisedFromPixel({unit(random) * (o.width - 1), unit(random) * (o.height - 1)});
        const View& view = t.views[size_t(middle)];
        Eigen::Vector3d x = view.rotation.transpose() * (depth * ray->homogeneous() - view.translation);
        if (o.rotationOnly) x.normalize();
        const int half = std::max(2, int(o.views * o.seenFor * (0.25 + 0.5 * unit(random))));
        std::vector<BundleProblem::Observation> seen;
        for (int v = std::max(0, middle - half); v <= std::min(o.views - 1, middle + half); ++v) {
            // The pixel's row decides when it is seen; a few rounds settle it.
            Eigen::Vector2d pixel(0, 0.5 * o.height);
            bool inside = false;
            for (int round = 0; round < (o.readout != 0 ? 4 : 1); ++round) {
                const auto q = project(t.viewAt(v, pixel), t.intrinsics(v), x);
                inside = q && q->x() > 0 && q->y() > 0 && q->x() < o.width - 1 && q->y() < o.height - 1;
                if (!inside) break;
                pixel = *q;
            }
            if (inside) seen.push_back({v, int(t.points.size()), pixel, sqrtInformation});
        }
        if (seen.size() < 4) continue;
        for (auto& s : seen) {
            s.pixel += o.noisePx * Eigen::Vector2d(gauss(random), gauss(random));
            t.observations.push_back(s);
        }
        t.points.push_back(x);
    }
    out.start = t;
    for (size_t v = 1; v < out.start.views.size(); ++v) {
        const Eigen::Vector3d rotation(gauss(random), gauss(random), gauss(random)),
            move(gauss(random), gauss(random), gauss(random));
        out.start.views[v] = moved(t.views[v], o.disturb * 0.002 * rotation,
                                   o.rotationOnly ? Eigen::Vector3d::Zero().eval() : (o.disturb * 0.02 * move).eval());
        if (o.rotationOnly) out.start.views[v].translation.setZero();
    }
    for (auto& x : out.start.points) {
        x += o.disturb * 0.01 * x.norm() * Eigen::Vector3d(gauss(random), gauss(random), gauss(random));
        if (o.rotationOnly) x.normalize();
    }
    out.start.lenses[0].focalPx *= 1 + 0.03 * o.disturb;
    for (double& f : out.start.focalOfView) f *= 1 + 0.03 * o.disturb;
    if (o.disturb > 0) out.start.lenses[0].lens = LensModel();
    out.options.solved = {LensValue::focal, LensValue::k1, LensValue::k2};
    out.options.fixedViews.assign(t.views.size(), 0);
    out.options.fixedViews[0] = 1;
    out.options.rotationOnly = o.rotationOnly;
    out.options.solveZoom = o.zoom;
    out.options.solveReadout = o.readout != 0;
    return out;
}

}  // namespace va::test
