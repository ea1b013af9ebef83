// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>
#include <optional>
#include <vector>

#include "base/animated.h"
#include "base/frame_range.h"
#include "solve/camera_track.h"

namespace va {

/// Turns the camera where it stands.
struct LookAround {
    bool on = false;
    Animated<Eigen::Vector3d> turn;  ///< tilt (up), pan (to the left), roll (counter-clockwise), radians
    friend bool operator==(const LookAround&, const LookAround&) = default;
};

/// The solved move under another scene: larger or smaller, slower or faster, begun elsewhere.
struct OffsetPace {
    bool on = false;
    double pathScale = 1;  ///< of the path about where it begins
    double pace = 1;       ///< frames of the solve that pass in a frame; 0.5 = half as fast
    double begin = 0;      ///< frames of the solve that are left out at the beginning of the range
    Eigen::Vector3d offset = Eigen::Vector3d::Zero();  ///< world units
    double heading = 0;                                ///< of the whole path about where it begins, radians
    friend bool operator==(const OffsetPace&, const OffsetPace&) = default;
};

/// Noise on top: the same for the same seed.
struct Shake {
    bool on = false;
    uint32_t seed = 1;
    double px = 8;         ///< standard deviation of the picture's shift at its middle, each way
    double pxRate = 1.5;   ///< cycles a second
    double degrees = 0.3;  ///< standard deviation of the roll
    double degreesRate = 1.5;
    friend bool operator==(const Shake&, const Shake&) = default;
};

/// The path smoothed over time.
struct Steady {
    bool on = false;
    double width = 8;  ///< frames: standard deviation of the weights
    bool position = true, turn = true;
    friend bool operator==(const Steady&, const Steady&) = default;
};

/// What lies over the solved camera, in this order. The solved camera itself stays.
struct CameraLayers {
    LookAround look;
    OffsetPace pace;
    Shake shake;
    Steady steady;
    [[nodiscard]] bool any() const { return look.on || pace.on || shake.on || steady.on; }
    friend bool operator==(const CameraLayers&, const CameraLayers&) = default;
};

/// The noise of a shake some seconds from its start: shift right and down in px, and roll in radians.
///
/// Each is a sum of 8 sines of equal weight and random phase whose frequencies lie evenly in the half octaves around
/// the asked rate, such that their root mean square is that rate: then the spread is as asked and the signal rises
/// through zero as often a second as asked (Rice, Bell System Technical Journal 24, 1945). Mean 0.
Eigen::Vector3d shakeAt(const Shake& shake, double seconds);

/// A frame's camera with the layers on it.
struct LayeredCamera {
    int frame = 0;
    CameraPose pose;
    double focalPx = 0;
    double sourceFrame = 0;  ///< of the solve, whose picture is the nearest to what this camera sees
    CameraPose source;       ///< the solved camera there
};

/// The cameras of a range with layers, in solve space seen through `world`. Frames whose camera was not solved are left
/// out; between solved frames (pace) positions go by a cubic and rotations by the arc between neighbours.
std::vector<LayeredCamera> layeredCameras(const CameraTrack& track, const Similarity& world, const CameraLayers& layers,
                                          FrameRange range, double rate);

/// What the plate has to be larger by on each side, px, so that no frame of layered cameras looks beyond the picture of
/// its solved camera. Only what the cameras turn counts: a camera that stands elsewhere sees other things, which no
/// larger plate has. Pictures without distortion, focal length and principal point as in the plate.
struct LayerOverscan {
    int left = 0, top = 0, right = 0, bottom = 0;
    bool possible = true;  ///< false: some frame looks more than 80° away from the middle of its plate
    /// Width and height over the plate's, the larger one.
    [[nodiscard]] double share(int width, int height) const;
};
LayerOverscan overscanOf(const std::vector<LayeredCamera>& cameras, const Intrinsics& lens, int width, int height);

/// The share of the plate's width that is left when each layered frame is cut out of its plate at the plate's own
/// aspect, about the middle, without a look beyond the picture's edge. 1 = nothing is lost; 0 = not possible.
double cropOf(const std::vector<LayeredCamera>& cameras, const Intrinsics& lens, int width, int height);

}  // namespace va
