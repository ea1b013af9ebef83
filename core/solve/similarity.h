// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <Eigen/Geometry>

#include "solve/camera.h"

namespace va {

/// to = scale · rotation · from + translation.
struct Similarity {
    double scale = 1;
    Eigen::Quaterniond rotation = Eigen::Quaterniond::Identity();
    Eigen::Vector3d translation = Eigen::Vector3d::Zero();

    [[nodiscard]] Eigen::Vector3d point(const Eigen::Vector3d& p) const { return scale * (rotation * p) + translation; }
    [[nodiscard]] CameraPose pose(const CameraPose& p) const {
        return {point(p.position), (rotation * p.worldFromCamera).normalized()};
    }
    [[nodiscard]] Similarity inverse() const {
        const Eigen::Quaterniond back = rotation.conjugate();
        return {1 / scale, back, -(back * translation) / scale};
    }
    /// First `other`, then this.
    [[nodiscard]] Similarity after(const Similarity& other) const {
        return {scale * other.scale, (rotation * other.rotation).normalized(), point(other.translation)};
    }
};

/// The similarity that brings points nearest to others in the least squares sense (Umeyama, PAMI 1991). Columns belong
/// to each other. Scale 0 where the points coincide; of points on a line the rotation about it is any.
Similarity similarityBetween(const Eigen::Matrix3Xd& from, const Eigen::Matrix3Xd& to);

}  // namespace va
