// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <optional>
#include <vector>

#include "base/frame_range.h"
#include "lens/intrinsics.h"
#include "solve/camera.h"
#include "solve/frame_camera.h"
#include "solve/similarity.h"

namespace va {

/// What kind of camera move the solve found.
enum class Motion {
    none,
    free,
    nodalPan,
    lockedOff,
    still  ///< one picture, whose lines and known points gave the camera: a level world without points
};

/// How a frame's camera came about.
enum class PoseOrigin {
    solved,
    filled,    ///< put between its neighbours, by the artist's wish
    smoothed,  ///< by the artist's wish
    turned     ///< only its rotation was solved; the position is that of the solved frame next to it
};

struct SolvedFrame {
    int frame = 0;
    bool solved = false;
    CameraPose pose;
    double focalPx = 0;
    double rmsPx = 0;      ///< over the observations used in this frame
    int observations = 0;  ///< used
    PoseOrigin origin = PoseOrigin::solved;
    std::optional<CameraPose> before;  ///< of a frame that was edited: as it was solved, if it was
    /// With a rolling shutter, where the neighbours do not tell it: how the camera moved, in its own axes.
    std::optional<ViewRate> rate;
};

/// The camera over the frames, in the world of its solve: all that is needed to project, and to look along pixels.
struct CameraTrack {
    Motion motion = Motion::none;
    Intrinsics lens;                  ///< shared by all frames; with a zoom its focal length is a middle one
    bool zooms = false;               ///< every frame has a focal length of its own
    std::vector<SolvedFrame> frames;  ///< one for every frame asked for
    int height = 0;                   ///< px, of the picture whose rows are meant
    double readout = 0;               ///< frames from the first row's reading to the last one's

    /// The camera of a frame, in the solve's own world or in another one. Nothing in frames without a solve.
    [[nodiscard]] std::optional<FrameCamera> cameraAt(int frame, const Similarity& worldFromSolve = {}) const;
    /// The camera `late` frames after a frame's own time, by its motion there: for times within half a frame.
    [[nodiscard]] std::optional<FrameCamera> cameraAfter(int frame, double late,
                                                         const Similarity& worldFromSolve = {}) const;
    /// How the camera moved around a solved frame's time, in its own axes and the solve's units.
    [[nodiscard]] ViewRate rateAt(const SolvedFrame& frame) const;
    /// Where a position of the solve's world is seen in a frame, in px, with the row's own moment where rows are read
    /// one after the other. Nothing in frames without a solve, and where project() gives nothing.
    [[nodiscard]] std::optional<Eigen::Vector2d> seen(int frame, const Eigen::Vector3d& place) const;
    /// Inner geometry of the camera in a frame. In frames that are not solved: the shared one.
    [[nodiscard]] Intrinsics intrinsics(int frame) const {
        Intrinsics out = lens;
        if (const SolvedFrame* f = zooms ? at(frame) : nullptr; f && f->solved) out.focalPx = f->focalPx;
        return out;
    }
    [[nodiscard]] bool has() const { return motion != Motion::none; }
    [[nodiscard]] int solvedCount() const {
        return int(std::count_if(frames.begin(), frames.end(), [](const SolvedFrame& f) { return f.solved; }));
    }
    [[nodiscard]] const SolvedFrame* at(int frame) const {
        const auto it = std::lower_bound(frames.begin(), frames.end(), frame,
                                         [](const SolvedFrame& f, int n) { return f.frame < n; });
        return it != frames.end() && it->frame == frame ? &*it : nullptr;
    }
};

}  // namespace va
