// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <Eigen/Geometry>
#include <optional>

#include "lens/intrinsics.h"

namespace va {

/// Where a camera stands in a right-handed world with Y up; it looks down its own −Z with +Y up and +X right.
struct CameraPose {
    Eigen::Vector3d position = Eigen::Vector3d::Zero();
    Eigen::Quaterniond worldFromCamera = Eigen::Quaterniond::Identity();
};

/// Camera pose as computer vision writes it: camera point = rotation · world point + translation, x right, y down, z
/// forward.
struct View {
    Eigen::Matrix3d rotation = Eigen::Matrix3d::Identity();
    Eigen::Vector3d translation = Eigen::Vector3d::Zero();

    [[nodiscard]] Eigen::Vector3d toCamera(const Eigen::Vector3d& world) const {
        return rotation * world + translation;
    }
    [[nodiscard]] Eigen::Vector3d centre() const { return -(rotation.transpose() * translation); }
};

/// The one place where the two conventions meet: the camera's axes turn by half a turn about x.
View viewFromPose(const CameraPose& pose);
CameraPose poseFromView(const View& view);

/// The one place where a world point becomes a pixel. Nothing for a point behind or in the camera's plane, or beyond
/// the lens model's fold.
std::optional<Eigen::Vector2d> project(const View& view, const Intrinsics& intrinsics, const Eigen::Vector3d& world);
std::optional<Eigen::Vector2d> project(const CameraPose& pose, const Intrinsics& intrinsics,
                                       const Eigen::Vector3d& world);

/// Unit direction in the camera's own axes (it looks down −Z) of the ray through a pixel. Nothing beyond the lens
/// model's fold.
std::optional<Eigen::Vector3d> cameraRay(const Intrinsics& intrinsics, const Eigen::Vector2d& pixel);
/// The same in the world.
std::optional<Eigen::Vector3d> worldRay(const CameraPose& pose, const Intrinsics& intrinsics,
                                        const Eigen::Vector2d& pixel);

}  // namespace va
