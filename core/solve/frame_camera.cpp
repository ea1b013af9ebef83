// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/frame_camera.h"

namespace va {

FrameCamera::FrameCamera(const CameraPose& pose, const Intrinsics& lens)
    : pose_(pose), middle_(viewFromPose(pose)), lens_(lens) {}

FrameCamera::FrameCamera(const CameraPose& pose, const Intrinsics& lens, const ViewRate& rate, double readout,
                         int height)
    : pose_(pose), middle_(viewFromPose(pose)), lens_(lens), rate_(rate), readout_(readout), height_(height) {}

View FrameCamera::viewAt(double row) const {
    return readout_ == 0 || height_ <= 0 ? middle_ : viewAtRow(middle_, rate_, readout_, row, height_);
}

CameraPose FrameCamera::poseAtRow(double row) const {
    return readout_ == 0 || height_ <= 0 ? pose_ : poseFromView(viewAt(row));
}

std::optional<Eigen::Vector2d> FrameCamera::project(const Eigen::Vector3d& world) const {
    auto pixel = va::project(middle_, lens_, world);
    if (readout_ == 0 || height_ <= 0) return pixel;
    // The row decides when the point is seen, and that decides the row: settled to a hundredth of a pixel in three.
    for (int round = 0; round < 3 && pixel; ++round) pixel = va::project(viewAt(pixel->y()), lens_, world);
    return pixel;
}

std::optional<Ray> FrameCamera::ray(const Eigen::Vector2d& pixel) const {
    const CameraPose then = poseAtRow(pixel.y());
    const auto direction = worldRay(then, lens_, pixel);
    if (!direction) return std::nullopt;
    return Ray{then.position, *direction};
}

double FrameCamera::footprint(const Eigen::Vector3d& world) const {
    const double depth = middle_.toCamera(world).z();
    return depth > 0 && lens_.focalPx > 0 ? depth / lens_.focalPx : 0;
}

}  // namespace va
