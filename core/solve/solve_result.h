// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <memory>
#include <string>
#include <vector>

#include "lens/lens_numbers.h"
#include "solve/camera_track.h"
#include "solve/constraints/known_measure.h"
#include "solve/still.h"

namespace va {

/// Why there is no full solve.
enum class SolveTrouble {
    none,
    tooFewFrames,  ///< fewer than two frames with features
    tooFewPaths,   ///< not enough paths anywhere
    noParallax,    ///< a nodal pan or a locked-off camera: no depth can be solved
    noStart,       ///< parallax, but no pair of frames gave a first camera
    growthStopped  ///< some frames could not be reached
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
enum class OutlierReason : uint8_t {
    noise,           ///< in some frames off by more than the noise explains
    otherReference,  ///< in some frames measured against another reference than its point
    fewFrames,       ///< seen in too few solved frames
    slides,          ///< slides along an edge, or its patch holds two surfaces
    notScene,        ///< does not move with the scene, or is too far away for a position
    notRotation,     ///< does not fit a nodal pan
    notLockedOff     ///< moves in the picture of a locked-off camera
};
struct SolveOutlier {
    int pathId = 0;
    bool whole = false;
    std::vector<int> frames;  ///< when not whole
    OutlierReason reason = OutlierReason::noise;
};

/// The points of a solve, and what became of the paths that gave none.
struct PointCloud {
    std::vector<SolvedPoint> points;
    std::vector<SolveOutlier> outliers;
};

/// What makes a nodal pan look like a free move.
enum class PanCause : uint8_t {
    none,
    noise,      ///< the paths are so noisy that nothing tells the two apart
    squeeze,    ///< pixels are not as wide as was said
    offCentre,  ///< the lens's middle is not the plate's, as in a crop
};

struct SolveResult;

/// How good a solve is, how sure its numbers are, and what was found out about the shot on the way.
struct SolveDiagnostics {
    SolveTrouble trouble = SolveTrouble::none;
    std::vector<LensNumber> lensNumbers;  ///< the solved ones, with their deviations; empty = all were given
    double lensMapSigmaPx = 0;  ///< expected error of the distortion at the worst position of the frame, from that
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
    double rotationRmsPx = 0;  ///< error that is left when the camera may only rotate
    /// Widest ray angle (degrees, median over points) between the frame and the first, one a frame.
    std::vector<double> parallaxByFrame;
    double solveSeconds = 0;
    double uprightSigmaDeg = -1;         ///< of one picture's camera: expected error of its upright; negative = none
    std::vector<int> heldBack;           ///< paths that the check error comes from, whether or not they gave a point
    double readoutSigma = -1;            ///< deviation of the read-out time; negative where it was given
    MeasuredWorld measured;              ///< from this solve's world to the check points' unit, as far as those tell
    std::vector<MeasureReport> reports;  ///< one a measure of the request
    /// Distance of the points from their best plane over how far away they are, root mean square: near 0 for a flat
    /// scene.
    double relief = 1;
    double mirrorRmsPx = -1;  ///< fit of the scene's mirror image, where that is as good as none other; else negative
    /// Where a known focal length does not go with the paths: what they ask for, and the fit with that. Else 0.
    double askedFocalPx = 0, askedRmsPx = 0;
    bool draft = false;                  ///< steps were left out that an update makes up for (SolveRequest::draft)
    bool lensWithMovers = false;         ///< the lens was told by scene and movers together (solve/shared_lens.h)
    bool preliminary = false;            ///< a first camera, which the match is still refining
    PanCause panCause = PanCause::none;  ///< of a nodal pan that looked like a free move at first
    /// Paths that the solve did not use and that move together by themselves: they may belong to a thing.
    std::vector<int> movingTogether;
    /// Of a locked-off camera: the solve of what moves before it, where that was taken for the scene at first. Not kept
    /// in files.
    std::shared_ptr<const SolveResult> takenForScene;
    double freeRmsPx = -1;  ///< fit error before the measures were used; negative without any
};

/// What a solve gives. What only needs cameras takes a CameraTrack.
struct SolveResult : CameraTrack, PointCloud, SolveDiagnostics {
    std::vector<SolvedStill> stills;  ///< one for every reference still of the shot
    /// Points have positions and not only directions: a free move, or a camera in one place with reference stills.
    [[nodiscard]] bool hasDepth() const {
        return motion == Motion::free ||
               (has() && std::any_of(stills.begin(), stills.end(), [](const SolvedStill& s) { return s.solved; }));
    }
    /// The lens was solved: a locked-off camera alone does not tell it.
    [[nodiscard]] bool hasLens() const { return has() && (motion != Motion::lockedOff || hasDepth()); }
};

}  // namespace va
