// SPDX-License-Identifier: GPL-3.0-or-later
#include "path_truth.h"

#include <Eigen/Dense>
#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/atomic_file.h"

namespace va::test {

TrueCameras readTrueCameras(const std::string& truthFile) {
    const auto j = nlohmann::json::parse(readFile(truthFile));
    TrueCameras t;
    const auto& l = j.at("lens");
    t.lens.lens = LensModel::brownConrady(l.at("k1"), l.at("k2"), l.at("k3"), l.at("p1"), l.at("p2"));
    for (const auto& f : j.at("frames")) {
        CameraPose pose;
        const auto &p = f.at("position"), &q = f.at("rotation");
        pose.position = {p[0].get<double>(), p[1].get<double>(), p[2].get<double>()};
        pose.worldFromCamera =
            Eigen::Quaterniond(q[0].get<double>(), q[1].get<double>(), q[2].get<double>(), q[3].get<double>());
        t.lens.focalPx = f.at("focal_px");
        t.lens.principalPoint = {f.at("principal_point_px")[0].get<double>(),
                                 f.at("principal_point_px")[1].get<double>()};
        t.views[f.at("frame").get<int>()] = viewFromPose(pose);
        t.focals[f.at("frame").get<int>()] = t.lens.focalPx;
    }
    return t;
}

Intrinsics TrueCameras::lensAt(int frame) const {
    Intrinsics out = lens;
    out.focalPx = focals.at(frame);
    return out;
}

namespace {

/// Offsets (path − truth) for a point at 1/inverseDepth along the ray through the path's position in its reference
/// frame, moved by `aside` px.
std::vector<Eigen::Vector2d> offsets(const Path& path, const std::vector<const PathPoint*>& points,
                                     const TrueCameras& truth, double inverseDepth,
                                     const Eigen::Vector2d& aside = Eigen::Vector2d::Zero()) {
    const PathPoint* at = path.at(path.referenceFrame);
    if (!at || std::find(points.begin(), points.end(), at) == points.end()) at = points.front();
    const View& reference = truth.views.at(at->frame);
    const auto n = truth.lensAt(at->frame).normalisedFromPixel(Eigen::Vector2d(at->x, at->y) + aside);
    std::vector<Eigen::Vector2d> out;
    const Eigen::Vector3d ray(n->x(), n->y(), 1);
    // World point × inverse depth keeps far points finite.
    for (const PathPoint* p : points) {
        const View& v = truth.views.at(p->frame);
        const Eigen::Vector3d X = reference.rotation.transpose() * (ray - reference.translation * inverseDepth);
        const Eigen::Vector3d c = v.rotation * X + v.translation * inverseDepth;
        const auto pixel = truth.lensAt(p->frame).pixelFromNormalised({c.x() / c.z(), c.y() / c.z()});
        out.emplace_back(Eigen::Vector2d(p->x, p->y) - pixel);
    }
    return out;
}

/// Weight of a point by its stated covariance, 1/px².
double trust(const PathPoint& p) { return 2 / std::max(1e-5, double(p.sxx + p.syy)); }

double weighedSum(const std::vector<Eigen::Vector2d>& e, const std::vector<const PathPoint*>& points) {
    double s = 0;
    for (size_t i = 0; i < e.size(); ++i) s += trust(*points[i]) * e[i].squaredNorm();
    return s;
}

}  // namespace

std::vector<PathError> pathErrors(const std::vector<Path>& paths, const TrueCameras& truth, int least,
                                  const std::function<bool(const Path&, const PathPoint&)>& counts) {
    std::vector<PathError> out;
    for (const Path& path : paths) {
        std::vector<const PathPoint*> points;
        if (path.setAside) continue;
        for (const PathPoint& p : path.points)
            if (!p.aside && truth.views.contains(p.frame) && (!counts || counts(path, p))) points.push_back(&p);
        if (int(points.size()) < least) continue;
        // Inverse depth by search and parabola; the clips' things lie between 0.7 and 200 m.
        double best = 0, least2 = 1e300;
        for (int i = 0; i <= 300; ++i) {
            const double w = 1.4 * i / 300 * i / 300, s = weighedSum(offsets(path, points, truth, w), points);
            if (s < least2) least2 = s, best = w;
        }
        double step = 0.01 * std::sqrt(best + 1e-4);
        for (int i = 0; i < 30; ++i) {
            const double a = weighedSum(offsets(path, points, truth, best - step), points),
                         c = weighedSum(offsets(path, points, truth, best + step), points),
                         b = weighedSum(offsets(path, points, truth, best), points);
            const double distortion = a - 2 * b + c;
            if (distortion > 0) best += std::clamp(0.5 * (a - c) / distortion, -1.0, 1.0) * step;
            step *= 0.6;
        }
        // The surface point that a path tracks is the one that it marks best over all frames: the reference frame may
        // be a blurred one, and is no truer than the others. Two Gauss–Newton steps over its position and depth.
        Eigen::Vector3d place(0, 0, best);
        for (int round = 0; round < 2; ++round) {
            const Eigen::Vector3d steps(0.01, 0.01, 1e-3 * (place.z() + 0.01));
            const auto at = [&](const Eigen::Vector3d& p) {
                return offsets(path, points, truth, p.z(), {p.x(), p.y()});
            };
            const auto e0 = at(place);
            std::vector<Eigen::Vector2d> moved[3];
            for (int k = 0; k < 3; ++k) moved[k] = at(place + steps(k) * Eigen::Vector3d::Unit(k));
            Eigen::Matrix3d normal = Eigen::Matrix3d::Identity() * 1e-9;
            Eigen::Vector3d right = Eigen::Vector3d::Zero();
            for (size_t i = 0; i < e0.size(); ++i) {
                Eigen::Matrix<double, 2, 3> J;
                for (int k = 0; k < 3; ++k) J.col(k) = (moved[k][i] - e0[i]) / steps(k);
                normal += trust(*points[i]) * J.transpose() * J;
                right -= trust(*points[i]) * J.transpose() * e0[i];
            }
            const Eigen::Vector3d change = normal.ldlt().solve(right);
            if (change.allFinite() && change.head<2>().norm() < 1 && place.z() + change.z() >= 0) place += change;
        }
        const auto e = offsets(path, points, truth, place.z(), {place.x(), place.y()});
        PathError error;
        error.id = path.id;
        error.frames = int(e.size());
        error.depth = best > 0 ? 1 / best : 1e9;
        double slow = 0, quick = 0, weights = 0;
        for (size_t i = 0; i < e.size(); ++i) error.offsets[points[i]->frame] = e[i];
        for (size_t i = 0; i < e.size(); ++i) {
            // Points count by what they say of themselves: a blurred frame's says that it knows little.
            Eigen::Vector2d mean = Eigen::Vector2d::Zero();
            double total = 0;
            for (size_t k = 0; k < e.size(); ++k)
                if (std::abs(points[k]->frame - points[i]->frame) <= 10)
                    mean += trust(*points[k]) * e[k], total += trust(*points[k]);
            mean /= total;
            const double own = trust(*points[i]);
            slow += own * mean.squaredNorm();
            quick += own * (e[i] - mean).squaredNorm();
            weights += own;
            Eigen::Matrix2d c;
            c << points[i]->sxx, points[i]->sxy, points[i]->sxy, points[i]->syy;
            error.normalised += 0.5 * e[i].dot(c.inverse() * e[i]);
        }
        const double n = double(e.size());
        error.slowPx = std::sqrt(0.5 * slow / weights);
        error.quickPx = std::sqrt(0.5 * quick / weights);
        error.normalised /= n;
        out.push_back(error);
    }
    return out;
}

}  // namespace va::test
