// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/minimal/triangulate.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

namespace va {

std::optional<Triangulated> triangulate(const std::vector<Observation>& observations) {
    if (observations.size() < 2) return std::nullopt;
    // Linear start: the point nearest to all rays.
    Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
    Eigen::Vector3d right = Eigen::Vector3d::Zero();
    std::vector<Eigen::Vector3d> rays;
    for (const Observation& s : observations) {
        const Eigen::Vector3d ray = (s.view->rotation.transpose() * s.undistorted.homogeneous()).normalized();
        const Eigen::Matrix3d across = Eigen::Matrix3d::Identity() - ray * ray.transpose();
        normal += across;
        right += across * s.view->centre();
        rays.push_back(ray);
    }
    // The widest angle: rays fan out from the mean, so the extremes are found against the first and from there.
    const auto farthest = [&](const Eigen::Vector3d& from) {
        return *std::min_element(rays.begin(), rays.end(),
                                 [&](const auto& a, const auto& b) { return a.dot(from) < b.dot(from); });
    };
    const Eigen::Vector3d one = farthest(rays.front()), two = farthest(one);
    const double angle = std::atan2(one.cross(two).norm(), one.dot(two));
    if (!(angle > 1e-7)) return std::nullopt;
    const Eigen::LDLT<Eigen::Matrix3d> start(normal);
    if (start.info() != Eigen::Success) return std::nullopt;
    Eigen::Vector3d x = start.solve(right);
    if (!x.allFinite()) return std::nullopt;

    const auto cost = [&](const Eigen::Vector3d& p) {
        double sum = 0;
        for (const Observation& s : observations) {
            const Eigen::Vector3d c = s.view->toCamera(p);
            if (!(c.z() > 1e-12)) return std::numeric_limits<double>::infinity();
            sum += s.weight * (c.head<2>() / c.z() - s.undistorted).squaredNorm();
        }
        return sum;
    };
    double now = cost(x);
    if (!std::isfinite(now)) return std::nullopt;
    double damping = 1e-6;
    for (int i = 0; i < 15; ++i) {
        Eigen::Matrix3d h = Eigen::Matrix3d::Zero();
        Eigen::Vector3d g = Eigen::Vector3d::Zero();
        for (const Observation& s : observations) {
            const Eigen::Vector3d c = s.view->toCamera(x);
            Eigen::Matrix<double, 2, 3> j;
            j << 1 / c.z(), 0, -c.x() / (c.z() * c.z()), 0, 1 / c.z(), -c.y() / (c.z() * c.z());
            j = j * s.view->rotation;
            h += s.weight * j.transpose() * j;
            g += s.weight * j.transpose() * (c.head<2>() / c.z() - s.undistorted);
        }
        Eigen::Matrix3d damped = h;
        damped.diagonal() *= 1 + damping;
        const Eigen::Vector3d step = damped.ldlt().solve(g);
        if (!step.allFinite()) break;
        const double next = cost(x - step);
        if (next <= now) {
            const bool small = step.norm() < 1e-10 * (1 + x.norm()) || now - next < 1e-12 * now;
            x -= step;
            now = next;
            damping = std::max(1e-12, damping * 0.1);
            if (small) break;
        } else {
            damping = std::max(1e-6, damping) * 20;
            if (damping > 1e8) break;
        }
    }
    return Triangulated{x, angle};
}

}  // namespace va
