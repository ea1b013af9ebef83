// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <algorithm>
#include <optional>
#include <string>
#include <vector>

#include "base/frame_range.h"
#include "lens/lens_numbers.h"
#include "solve/camera.h"
#include "solve/constraints/known_measure.h"
#include "solve/frame_camera.h"
#include "solve/similarity.h"

namespace va {

/// What kind of camera move the solve found.
enum class Motion { none, free, nodalPan, lockedOff };

/// Why there is no full solve.
enum class SolveTrouble {
    none,
    tooFewFrames,  ///< fewer than two frames with features
    tooFewPaths,   ///< not enough paths anywhere
    noParallax,    ///< the camera only turns or stands: no depth can be had
    noStart,       ///< parallax, but no pair of frames gave a first camera
    growthStopped  ///< some frames could not be reached
};

/// How a frame's camera came about.
enum class PoseOrigin {
    solved,
    filled,    ///< put between its neighbours, by the artist's wish
    smoothed,  ///< by the artist's wish
    turned     ///< only its rotation was solved; the place is that of the solved frame next to it
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
};

struct SolvedPoint {
    int pathId = 0;
    Eigen::Vector3d position = Eigen::Vector3d::Zero();
    double rmsPx = 0;
    double worstPx = 0;
    int worstFrame = 0;
    int observations = 0;   ///< used
    FrameRange stretch;     ///< frames of the path that this point stands for
    double weight = 1;      ///< how much the solve let the path count, over what its covariances say
    bool heldBack = false;  ///< placed afterwards, from a path that the solve did not use
};

/// A path or some of its frames that the solve did not use.
struct SolveOutlier {
    int pathId = 0;
    bool whole = false;
    std::vector<int> frames;  ///< when not whole
    std::string reason;
};

struct SolveResult {
    Motion motion = Motion::none;
    SolveTrouble trouble = SolveTrouble::none;
    Intrinsics lens;                  ///< shared by all frames; with a zoom its focal length is a middle one
    bool zooms = false;               ///< every frame has a focal length of its own
    std::vector<SolvedFrame> frames;  ///< one for every frame asked for
    std::vector<SolvedPoint> points;
    std::vector<SolveOutlier> outliers;
    std::vector<LensNumber> lensNumbers;  ///< the solved ones, with how sure they are; empty = all were given
    double lensMapSigmaPx = 0;  ///< expected error of the distortion at the worst place of the frame, from that
    /// The frames do not determine the distortion, by the expected error in px that it would have had: it was taken as
    /// given, or as none. Negative = not refused.
    double distortionRefusedPx = -1;
    /// Errors that go on over frames are one measurement and not many: deviations are larger by this factor than
    /// independent errors of the same size would make them.
    double errorsTogether = 1;
    double rmsPx = 0;        ///< fit error: root mean square over all observations used
    double checkRmsPx = -1;  ///< on held-back paths; negative when there were none
    int checkPaths = 0;
    double parallaxPx = 0;     ///< of the best pair of frames, beyond what a nodal pan explains
    double rotationRmsPx = 0;  ///< error that is left when the camera may only turn
    std::vector<double>
        parallaxByFrame;  ///< widest ray angle (degrees, median over points) between the frame and the first
    double solveSeconds = 0;
    std::vector<int> heldBack;           ///< paths that the check error comes from, whether or not they gave a point
    int height = 0;                      ///< px, of the picture whose rows are meant
    double readout = 0;                  ///< frames from the first row's reading to the last one's
    double readoutSigma = -1;            ///< its deviation; negative where it was given
    MeasuredWorld measured;              ///< from this solve's world to the check points' unit, as far as those tell
    std::vector<MeasureReport> reports;  ///< one a measure of the request
    /// Distance of the points from their best plane over how far away they are, root mean square: near 0 for a flat
    /// scene.
    double relief = 1;
    double mirrorRmsPx = -1;  ///< fit of the scene's mirror image, where that is as good as none other; else negative
    /// Where a known focal length does not go with the paths: what they ask for, and the fit with that. Else 0.
    double askedFocalPx = 0, askedRmsPx = 0;
    double freeRmsPx = -1;  ///< fit error before the measures were used; negative without any

    /// The camera of a frame, in the solve's own world or in another one. Nothing in frames without a solve.
    [[nodiscard]] std::optional<FrameCamera> cameraAt(int frame, const Similarity& worldFromSolve = {}) const;
    /// Where a place of the solve's world is seen in a frame, in px, with the row's own moment where rows are read one
    /// after the other. Nothing in frames without a solve, and where project() gives nothing.
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
