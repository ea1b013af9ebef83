// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>

#include "solve/camera.h"
#include "solve/rolling.h"

namespace va {

/// A half-line in the world.
struct Ray {
    Eigen::Vector3d origin = Eigen::Vector3d::Zero();
    Eigen::Vector3d direction = Eigen::Vector3d::UnitZ();  ///< unit length

    [[nodiscard]] Eigen::Vector3d at(double distance) const { return origin + distance * direction; }
};

/// The camera of one frame, as whoever draws, picks, measures or renders needs it: pose, lens, and with a rolling
/// shutter the moment at which each row was read.
class FrameCamera {
  public:
    /// All rows are read at once.
    FrameCamera(const CameraPose& pose, const Intrinsics& lens);
    /// Rolling shutter: the last of `height` rows is read `readout` frames after the first, `pose` is that of the
    /// middle row, and `rate` its motion around the frame's time, in the world of `pose`.
    FrameCamera(const CameraPose& pose, const Intrinsics& lens, const ViewRate& rate, double readout, int height);

    /// Of the middle row; camera to world.
    [[nodiscard]] const CameraPose& pose() const { return pose_; }
    [[nodiscard]] const Intrinsics& lens() const { return lens_; }
    /// Where a point of the world is seen, px. Nothing where va::project() gives nothing.
    [[nodiscard]] std::optional<Eigen::Vector2d> project(const Eigen::Vector3d& world) const;
    /// What a pixel looks along, from where the camera was when its row was read. Nothing beyond the lens model's fold.
    [[nodiscard]] std::optional<Ray> ray(const Eigen::Vector2d& pixel) const;
    /// Where the camera was when a row was read.
    [[nodiscard]] CameraPose poseAtRow(double row) const;
    /// World units that one px (a row) covers at a point's depth, across the line of sight; 0 for points behind.
    [[nodiscard]] double footprint(const Eigen::Vector3d& world) const;

  private:
    [[nodiscard]] View viewAt(double row) const;

    CameraPose pose_;
    View middle_;
    Intrinsics lens_;
    ViewRate rate_;
    double readout_ = 0;
    int height_ = 0;
};

}  // namespace va
