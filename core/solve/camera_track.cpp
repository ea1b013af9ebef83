// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/camera_track.h"

#include "solve/minimal/resect.h"

namespace va {

ViewRate CameraTrack::rateAt(const SolvedFrame& frame) const {
    if (frame.rate && frame.origin == PoseOrigin::solved) return *frame.rate;
    const std::ptrdiff_t index = &frame - frames.data();
    std::vector<View> views;
    std::vector<double> times;
    size_t mine = 0;
    // As many neighbours as rateOf() looks at.
    for (auto i = std::max<std::ptrdiff_t>(0, index - 4); i < std::min<std::ptrdiff_t>(std::ssize(frames), index + 5);
         ++i) {
        const SolvedFrame& f = frames[size_t(i)];
        if (!f.solved) continue;
        if (i == index) mine = views.size();
        views.push_back(viewFromPose(f.pose));
        times.push_back(f.frame);
    }
    return rateOf(views, times, mine);
}

std::optional<FrameCamera> CameraTrack::cameraAt(int frame, const Similarity& worldFromSolve) const {
    const SolvedFrame* here = at(frame);
    if (!here || !here->solved) return std::nullopt;
    const CameraPose pose = worldFromSolve.pose(here->pose);
    if (readout == 0 || height <= 0) return FrameCamera(pose, intrinsics(frame));
    // Rotations are about the camera's own axes; translations grow with the world.
    return FrameCamera(pose, intrinsics(frame), rateAt(*here).scaled(worldFromSolve.scale), readout, height);
}

std::optional<FrameCamera> CameraTrack::cameraAfter(int frame, double late, const Similarity& worldFromSolve) const {
    const SolvedFrame* here = at(frame);
    if (!here || !here->solved) return std::nullopt;
    ViewRate rate = rateAt(*here);
    const ViewRate::Move move = rate.after(late);
    const View then = moved(viewFromPose(here->pose), move.head<3>(), move.tail<3>());
    const CameraPose pose = worldFromSolve.pose(poseFromView(then));
    if (readout == 0 || height <= 0) return FrameCamera(pose, intrinsics(frame));
    rate.first = rate.slope(late), rate.second += late * rate.third;
    return FrameCamera(pose, intrinsics(frame), rate.scaled(worldFromSolve.scale), readout, height);
}

std::optional<Eigen::Vector2d> CameraTrack::seen(int frame, const Eigen::Vector3d& place) const {
    const auto camera = cameraAt(frame);
    return camera ? camera->project(place) : std::nullopt;
}

}  // namespace va
