// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/minimal/resect.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/Geometry>
#include <cmath>

#include "base/rotation_vector.h"
#include "base/svd3.h"

namespace va {
namespace {

/// Real roots of c4 v⁴ + … + c0 through the companion matrix.
std::vector<double> quarticRoots(double c4, double c3, double c2, double c1, double c0) {
    const double size = std::max({std::fabs(c4), std::fabs(c3), std::fabs(c2), std::fabs(c1), std::fabs(c0)});
    if (!(std::fabs(c4) > 1e-12 * size)) return {};
    Eigen::Matrix4d m = Eigen::Matrix4d::Zero();
    m(0, 0) = -c3 / c4, m(0, 1) = -c2 / c4, m(0, 2) = -c1 / c4, m(0, 3) = -c0 / c4;
    m(1, 0) = m(2, 1) = m(3, 2) = 1;
    const Eigen::EigenSolver<Eigen::Matrix4d> solver(m, false);
    std::vector<double> out;
    for (int i = 0; i < 4; ++i)
        if (std::fabs(solver.eigenvalues()(i).imag()) < 1e-6 * (1 + std::fabs(solver.eigenvalues()(i).real())))
            out.push_back(solver.eigenvalues()(i).real());
    return out;
}

/// Rotation and translation that bring three world points onto three camera points (Kabsch 1976).
View absoluteOrientation(const Eigen::Matrix3d& world, const Eigen::Matrix3d& camera) {
    const Eigen::Vector3d wm = world.rowwise().mean(), cm = camera.rowwise().mean();
    const Eigen::Matrix3d h = (camera.colwise() - cm) * (world.colwise() - wm).transpose();
    View v;
    v.rotation = nearestRotation(h);
    v.translation = cm - v.rotation * wm;
    return v;
}

double error2(const View& view, const Eigen::Vector3d& world, const Eigen::Vector2d& undistorted) {
    const Eigen::Vector3d c = view.toCamera(world);
    return c.z() > 1e-9 ? (c.head<2>() / c.z() - undistorted).squaredNorm() : std::numeric_limits<double>::infinity();
}

}  // namespace

View moved(const View& view, const Eigen::Vector3d& rotation, const Eigen::Vector3d& move) {
    const Eigen::Matrix3d r = rotationBy(rotation);
    return {r * view.rotation, r * view.translation + move};
}

std::vector<View> viewsFromThree(const Points3& world, const Points2& undistorted, const std::vector<int>& three) {
    Eigen::Matrix3d w, f;
    for (int k = 0; k < 3; ++k) {
        w.col(k) = world[size_t(three[size_t(k)])];
        f.col(k) = undistorted[size_t(three[size_t(k)])].homogeneous().normalized();
    }
    const double a2 = (w.col(1) - w.col(2)).squaredNorm(), b2 = (w.col(0) - w.col(2)).squaredNorm(),
                 c2 = (w.col(0) - w.col(1)).squaredNorm();
    if (!((w.col(1) - w.col(0)).cross(w.col(2) - w.col(0)).norm() > 1e-9 * b2)) return {};
    const double ca = f.col(1).dot(f.col(2)), cb = f.col(0).dot(f.col(2)), cg = f.col(0).dot(f.col(1));
    const double p = (a2 - c2) / b2, q = (a2 + c2) / b2;
    const double c4 = (p - 1) * (p - 1) - 4 * c2 / b2 * ca * ca;
    const double c3 = 4 * (p * (1 - p) * cb - (1 - q) * ca * cg + 2 * c2 / b2 * ca * ca * cb);
    const double cc = 2 * (p * p - 1 + 2 * p * p * cb * cb + 2 * (b2 - c2) / b2 * ca * ca - 4 * q * ca * cb * cg +
                           2 * (b2 - a2) / b2 * cg * cg);
    const double c1 = 4 * (-p * (1 + p) * cb + 2 * a2 / b2 * cg * cg * cb - (1 - q) * ca * cg);
    const double c0 = (1 + p) * (1 + p) - 4 * a2 / b2 * cg * cg;
    std::vector<View> out;
    for (double v : quarticRoots(c4, c3, cc, c1, c0)) {
        const double below = 2 * (cg - v * ca), square = 1 + v * v - 2 * v * cb;
        if (!(v > 0) || std::fabs(below) < 1e-12 || !(square > 0)) continue;
        const double u = ((p - 1) * v * v - 2 * p * cb * v + 1 + p) / below;
        if (!(u > 0)) continue;
        const double s = std::sqrt(b2 / square);
        Eigen::Matrix3d camera;
        camera << s * f.col(0), u * s * f.col(1), v * s * f.col(2);
        out.push_back(absoluteOrientation(w, camera));
    }
    return out;
}

SamplingResult<View> robustResection(const Points3& world, const Points2& undistorted, const SamplingOptions& options) {
    auto result = robustSampling<View>(
        int(world.size()), 3, options,
        [&](const std::vector<int>& sample, std::vector<View>& models) {
            for (const View& v : viewsFromThree(world, undistorted, sample)) models.push_back(v);
        },
        [&](const View& v, int i) { return error2(v, world[size_t(i)], undistorted[size_t(i)]); });
    polish(
        result, int(world.size()), options,
        [&](const View& v, const std::vector<int>& use) -> std::optional<View> {
            Points3 w;
            Points2 s;
            for (const int i : use) w.push_back(world[size_t(i)]), s.push_back(undistorted[size_t(i)]);
            const double weight = 1 / (options.threshold * options.threshold);
            return refineView(v, w, s, std::vector<double>(w.size(), weight), 1);
        },
        [&](const View& v, int i) { return error2(v, world[size_t(i)], undistorted[size_t(i)]); });
    return result;
}

View refineView(View view, const Points3& world, const Points2& undistorted, const std::vector<double>& weights,
                double distortion) {
    if (world.size() < 3) return view;
    const auto cost = [&](const View& v) {
        double sum = 0;
        for (size_t i = 0; i < world.size(); ++i) {
            const double e = std::sqrt(weights[i] * std::min(1e12, error2(v, world[i], undistorted[i])));
            sum += e < distortion ? e * e : distortion * (2 * e - distortion);
        }
        return sum;
    };
    double now = cost(view), damping = 1e-4;
    for (int iteration = 0; iteration < 30; ++iteration) {
        Eigen::Matrix<double, 6, 6> h = Eigen::Matrix<double, 6, 6>::Zero();
        Eigen::Matrix<double, 6, 1> g = Eigen::Matrix<double, 6, 1>::Zero();
        for (size_t i = 0; i < world.size(); ++i) {
            const Eigen::Vector3d c = view.toCamera(world[i]);
            if (!(c.z() > 1e-9)) continue;
            const Eigen::Vector2d r = c.head<2>() / c.z() - undistorted[i];
            const double e = std::sqrt(weights[i]) * r.norm(), w = weights[i] * (e < distortion ? 1 : distortion / e);
            Eigen::Matrix<double, 2, 3> jp;
            jp << 1 / c.z(), 0, -c.x() / (c.z() * c.z()), 0, 1 / c.z(), -c.y() / (c.z() * c.z());
            Eigen::Matrix<double, 3, 6> jc;
            jc << 0, c.z(), -c.y(), 1, 0, 0, -c.z(), 0, c.x(), 0, 1, 0, c.y(), -c.x(), 0, 0, 0, 1;
            const Eigen::Matrix<double, 2, 6> j = jp * jc;
            h += w * j.transpose() * j;
            g += w * j.transpose() * r;
        }
        Eigen::Matrix<double, 6, 6> damped = h;
        damped.diagonal() *= 1 + damping;
        const Eigen::Matrix<double, 6, 1> step = -damped.ldlt().solve(g);
        if (!step.allFinite()) break;
        const View next = moved(view, step.head<3>(), step.tail<3>());
        const double then = cost(next);
        if (then <= now) {
            const bool small = now - then < 1e-6 * now;
            view = next;
            now = then;
            damping = std::max(1e-12, damping * 0.1);
            if (small) break;
        } else {
            damping *= 10;
            if (damping > 1e9) break;
        }
    }
    return view;
}

}  // namespace va
