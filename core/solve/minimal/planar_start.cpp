// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/minimal/planar_start.h"

#include <Eigen/Dense>
#include <cmath>

#include "base/svd3.h"

namespace va {

std::vector<View> posesFromHomography(const Eigen::Matrix3d& raw, const Points2& a, const Points2& b) {
    std::vector<View> out;
    const Eigen::Vector3d singular = svd3(raw).s;
    if (!raw.allFinite() || !(singular(2) > 1e-9 * singular(0)) || a.empty() || a.size() != b.size()) return out;
    Eigen::Matrix3d h = raw / singular(1);
    // b and H a are multiples of each other, positive ones for points in front.
    int along = 0;
    for (size_t i = 0; i < a.size(); ++i) along += b[i].homogeneous().dot(h * a[i].homogeneous()) > 0 ? 1 : -1;
    if (along < 0) h = -h;
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> axes(h.transpose() * h);
    const double s1 = axes.eigenvalues()(2), s3 = axes.eigenvalues()(0);  // squared
    // A rotation leaves all lengths as they are.
    if (!(s1 - s3 > 1e-9)) return out;
    Eigen::Vector3d v1 = axes.eigenvectors().col(2), v2 = axes.eigenvectors().col(1), v3 = axes.eigenvectors().col(0);
    if (v1.cross(v2).dot(v3) < 0) v3 = -v3;
    const double p = std::sqrt(std::max(0.0, 1 - s3)), q = std::sqrt(std::max(0.0, s1 - 1)), n = std::sqrt(s1 - s3);
    for (const double sign : {1.0, -1.0}) {
        // A direction in the plane whose length H keeps, beside v2.
        const Eigen::Vector3d u = (p * v1 + sign * q * v3) / n;
        Eigen::Matrix3d before, after;
        before << v2, u, v2.cross(u);
        const Eigen::Vector3d hv = h * v2, hu = h * u;
        after << hv, hu, hv.cross(hu);
        View view;
        view.rotation = after * before.transpose();
        Eigen::Vector3d normal = v2.cross(u);
        view.translation = (h - view.rotation) * normal;
        int front = 0;
        for (const auto& x : a) front += normal.dot(x.homogeneous()) > 0 ? 1 : -1;
        if (front < 0) normal = -normal, view.translation = -view.translation;
        const bool all = std::abs(front) * 10 >= int(a.size()) * 8;
        if (!all || !(view.translation.norm() > 1e-9)) continue;
        view.translation.normalize();
        const bool twice = !out.empty() && (out[0].rotation - view.rotation).norm() < 1e-9 &&
                           (out[0].translation - view.translation).norm() < 1e-9;
        if (!twice) out.push_back(view);
    }
    return out;
}

}  // namespace va
