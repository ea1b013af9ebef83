// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "lens/undistorted_frame.h"
#include "shot/shot.h"

namespace va {

/// A shot boiled down to what leaves the house, in world coordinates: the common source of all writers and the common
/// result of all readers, so that one can be compared with the other.
struct SceneExport {
    struct Frame {
        int frame = 0;
        bool solved = false;
        CameraPose pose;
        double focalPx = 0;
        double rmsPx = 0;
        PoseOrigin origin = PoseOrigin::solved;
        /// Where the plate's rate is variable: its time after the first frame in seconds, or, on an even grid, the
        /// stored frame that it shows.
        std::optional<double> seconds = std::nullopt;
        std::optional<int> storedFrame = std::nullopt;
        std::optional<ViewRate> rate = std::nullopt;  ///< SolvedFrame::rate, in the world's units
    };
    struct Point {
        int id = 0;
        std::string name;
        Eigen::Vector3d position = Eigen::Vector3d::Zero();
        double rmsPx = 0;
    };
    /// A thing with a motion of its own: where its axes stand, frame by frame, and its points in them.
    struct Mover {
        std::string name;
        bool sizeKnown = false;
        std::vector<std::pair<int, CameraPose>> poses;  ///< world from mover
        std::vector<Point> points;
    };
    /// A thing with its place in the world, whatever it hangs on: position, rotation and scale are those of its first
    /// frame there. Keys are the artist's, in the axes of what it hangs on.
    struct PlacedThing : Thing {
        PlacedThing() = default;
        PlacedThing(Thing thing) : Thing(std::move(thing)) {}  // NOLINT(google-explicit-constructor)
        std::string parentName;                                ///< the thing that it hangs on; empty = none
        std::string hangsOn;                                   ///< in words
        struct Sample {
            int frame = 0;
            Similarity place;  ///< world from thing
            bool visible = true;
        };
        std::vector<Sample> samples;            ///< one a frame where it moves, in order; empty = it stands
        std::shared_ptr<const Shape> ownShape;  ///< of what came from a file; null = its kind's
        [[nodiscard]] Shape shape() const { return ownShape ? *ownShape : shapeOf(kind); }
        [[nodiscard]] bool solid() const { return ownShape ? ownShape->faceCount() > 0 : hasSurface(kind); }
        [[nodiscard]] Similarity placeAt(int frame) const;
        [[nodiscard]] bool visibleIn(int frame) const;
    };
    /// A reference still with its own lens.
    struct Still {
        std::string name;
        int width = 0, height = 0;  ///< px
        Intrinsics lens;
        CameraPose pose;
        double rmsPx = 0, focalSigma = 0;
    };
    int width = 0, height = 0;
    double pixelAspect = 1;
    Rational rate{25, 1};
    bool metric = false;
    double sensorWidthMm = 36;
    Eigen::Vector2d principalPoint{0, 0};
    LensModel lens;
    std::string motion;
    std::string verdict;
    double rmsPx = 0, checkRmsPx = -1;
    /// Rolling shutter, as a share of the frame's time; the camera of a frame is that of the middle row. 0 = all rows
    /// at once.
    double readout = 0;
    double openShare = 0;  ///< of the frame's time that the shutter was found open; 0 = not known
    double slipPx = -1;    ///< expected, over the solved points and the range; negative = not known
    double slipNearPx = -1;  ///< the same of places near the camera
    /// Where the world comes from.
    struct World {
        double levelSigmaDeg = -1;            ///< expected error of the upright; negative = not known
        double scaleSigma = -1;               ///< relative; negative = no scale
        std::vector<LevelReport> evidence;    ///< of the upright
        std::vector<KnownLength> lengths;     ///< that the scale comes from
        std::vector<ScaleReport> lengthsMet;  ///< one a length
        std::string trouble;
    };
    World world;
    std::vector<CheckPoint> checkPoints;
    std::vector<MeasureReport> reports;  ///< one a check point
    std::vector<Frame> frames;           ///< in order
    std::vector<Point> points;
    std::vector<PlacedThing> things;
    std::vector<Mover> movers;
    std::vector<Still> stills;  ///< those that joined
    /// The camera with its layers on, beside the solved one, and the larger frame that holds the plate for it: without
    /// distortion, the plate's pixel (0, 0) at `left`, `top`. No frames where no layer is on.
    struct Layered {
        int width = 0, height = 0, left = 0, top = 0;  ///< px
        struct Frame {
            int frame = 0;
            CameraPose pose;
            double focalPx = 0;
        };
        std::vector<Frame> frames;
    };
    Layered layered;
    /// Named planes, four corners each, in the world.
    struct FlatPiece {
        std::string name;
        std::array<Eigen::Vector3d, 4> corners;
    };
    std::vector<FlatPiece> planes;
    std::shared_ptr<const std::vector<Path>> paths;  ///< may be null; frames are the plate's own
    std::vector<FlatPatch> patches;
    std::string plate;                 ///< where the plate lies
    FrameRange plateFrames{0, 0};      ///< its own numbers
    int frameShift = 0;                ///< frame numbers here minus the plate's own
    bool zUp = false;                  ///< else Y is up
    double metresPerUnit = 1;          ///< where the scene is metric
    std::string eulerOrder = "ZXY";    ///< of tables: fixed axes in the order in which they are turned about
    bool cameraPerFrame = false;       ///< formats that know no zoom may write one camera a frame
    Eigen::Vector3d movedBy{0, 0, 0};  ///< the world's origin was moved to here, in the shot's own world

    [[nodiscard]] Intrinsics intrinsics(const Frame& f) const { return {f.focalPx, pixelAspect, principalPoint, lens}; }
    [[nodiscard]] double focalMm(const Frame& f) const;
    /// Its cameras, to project and look along pixels row by row.
    [[nodiscard]] CameraTrack cameraTrack() const;
};

/// "free", "rotation" (a nodal pan), "locked_off", "still" (one picture) or "none".
std::string motionWord(Motion motion);

/// Gathers a shot for export. Throws Error when there is no solve to export. `verdict` is the sentence stored with it.
SceneExport gatherExport(const Shot& shot, const std::string& verdict);

/// The same scene for the undistorted plate in its larger frame: size, principal point and sensor width are the
/// frame's, and nothing is distorted. Of a zoom it holds the plate at every focal length. Throws Error where the
/// lens can't be taken out.
SceneExport undistortedScene(const SceneExport& scene, Overscan overscan);

}  // namespace va
