// SPDX-License-Identifier: GPL-3.0-or-later
#include "layout/stance.h"

#include <cmath>

namespace va {
namespace {

/// The part of `v` across `axis`, unit length; `other` where nothing is left.
Eigen::Vector3d across(const Eigen::Vector3d& v, const Eigen::Vector3d& axis, const Eigen::Vector3d& other) {
    const Eigen::Vector3d rest = v - v.dot(axis) * axis;
    if (rest.norm() > 1e-6 * std::max(1e-9, v.norm())) return rest.normalized();
    const Eigen::Vector3d second = other - other.dot(axis) * axis;
    return second.norm() > 1e-6 ? second.normalized() : axis.unitOrthogonal();
}

Eigen::Quaterniond fromAxes(const Eigen::Vector3d& y, const Eigen::Vector3d& z) {
    Eigen::Matrix3d r;
    r.col(0) = y.cross(z);
    r.col(1) = y;
    r.col(2) = z;
    return Eigen::Quaterniond(r).normalized();
}

}  // namespace

Eigen::Quaterniond rotationFor(Stance stance, const Eigen::Vector3d& normal, const Eigen::Vector3d& up,
                               const Eigen::Vector3d& toCamera) {
    const Eigen::Vector3d front = Eigen::Vector3d::UnitZ();
    const bool wall = std::fabs(normal.dot(up)) < std::sqrt(0.5);
    switch (stance) {
        case Stance::stand:
            if (wall) return fromAxes(up, across(normal, up, front));
            return fromAxes(normal, across(toCamera, normal, front));
        case Stance::lie: {
            const Eigen::Vector3d top = wall ? up : Eigen::Vector3d(-toCamera);
            return fromAxes(across(top, normal, -front), normal);
        }
        case Stance::face: break;
    }
    return fromAxes(up, across(toCamera, up, front));
}

Eigen::Quaterniond alignedAlong(const Eigen::Quaterniond& rotation, const Eigen::Vector3d& from,
                                const Eigen::Vector3d& to) {
    const Eigen::Vector3d x = (to - from).normalized();
    if (!((to - from).norm() > 0)) return rotation;
    const Eigen::Vector3d y = across(rotation * Eigen::Vector3d::UnitY(), x, Eigen::Vector3d::UnitZ());
    return fromAxes(y, x.cross(y));
}

}  // namespace va
