// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/camera.h"

namespace va {
namespace {

/// Turns (right, up, back) axes into (right, down, forward) ones and back.
const Eigen::DiagonalMatrix<double, 3> halfTurnX(1, -1, -1);

}  // namespace

View viewFromPose(const CameraPose& pose) {
    View v;
    v.rotation = halfTurnX * pose.worldFromCamera.normalized().toRotationMatrix().transpose();
    v.translation = -(v.rotation * pose.position);
    return v;
}

CameraPose poseFromView(const View& view) {
    CameraPose p;
    const Eigen::Matrix3d worldFromCamera = view.rotation.transpose() * halfTurnX;
    p.worldFromCamera = Eigen::Quaterniond(worldFromCamera).normalized();
    p.position = view.centre();
    return p;
}

std::optional<Eigen::Vector2d> project(const View& view, const Intrinsics& intrinsics, const Eigen::Vector3d& world) {
    const Eigen::Vector3d c = view.toCamera(world);
    if (!(c.z() > 1e-9)) return std::nullopt;
    const Eigen::Vector2d n = c.head<2>() / c.z();
    if (!intrinsics.lens.isZero() && n.norm() > intrinsics.lens.foldRadius()) return std::nullopt;
    return intrinsics.pixelFromNormalised(n);
}

std::optional<Eigen::Vector2d> project(const CameraPose& pose, const Intrinsics& intrinsics,
                                       const Eigen::Vector3d& world) {
    return project(viewFromPose(pose), intrinsics, world);
}

std::optional<Eigen::Vector3d> cameraRay(const Intrinsics& intrinsics, const Eigen::Vector2d& pixel) {
    const auto n = intrinsics.normalisedFromPixel(pixel);
    if (!n) return std::nullopt;
    return (halfTurnX * Eigen::Vector3d(n->homogeneous())).normalized();
}

std::optional<Eigen::Vector3d> worldRay(const CameraPose& pose, const Intrinsics& intrinsics,
                                        const Eigen::Vector2d& pixel) {
    const auto ray = cameraRay(intrinsics, pixel);
    if (!ray) return std::nullopt;
    return (pose.worldFromCamera * *ray).normalized();
}

}  // namespace va
