// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "ground/ground.h"
#include "ground/photo_match.h"
#include "layout/camera_layers.h"
#include "layout/thing.h"
#include "media/plate_source.h"
#include "media/plate_watch.h"
#include "shot/exclusions.h"
#include "shot/proof_spec.h"
#include "solve/calibration/chart_calibration.h"
#include "solve/path_edits.h"
#include "solve/solve_request.h"
#include "solve/solve_result.h"
#include "track/flat_patch.h"
#include "track/mask_shape.h"
#include "track/path.h"
#include "track/track.h"

namespace va {

class KeptPictures;

/// What is known of the camera back and the lens before solving.
struct CameraPriors {
    double sensorWidthMm = 36;  ///< width of the film back that the plate shows
    bool sensorAssumed = true;  ///< nobody said so: mm values are then only a label for an angle of view
    Known focal = Known::unknown;
    double focalMm = 0;  ///< when not unknown
    Known distortion = Known::unknown;
    LensModel lens;  ///< when not unknown; its kind says which model is solved where it is
    Known principal = Known::known;
    Eigen::Vector2d principalOffset{0, 0};  ///< px of the principal point from the middle of the plate
    /// Rolling shutter: looked for where the paths speak for it, solved from `readout` on, or given (0: all rows at
    /// once).
    Known readoutKnown = Known::unknown;
    double readout = 0;  ///< share of the frame's time from the first row's reading to the last one's
    std::string camera;  ///< maker and model that the sensor's width comes from; empty = given by hand
    /// The plate is a cut-out of a larger picture: that one's size in px of the plate, and where the plate's top left
    /// corner lies in it. Width and height 0 = the plate is whole.
    struct Cut {
        double fullWidth = 0, fullHeight = 0, left = 0, top = 0;
        friend bool operator==(const Cut&, const Cut&) = default;
    };
    Cut cut;
    friend bool operator==(const CameraPriors&, const CameraPriors&) = default;
};

/// What the artist decides about the solve.
struct SolveChoices {
    MoveChoice move = MoveChoice::automatic;
    ZoomChoice zoom = ZoomChoice::automatic;
    bool thing = false;  ///< the scene is a thing in the picture, and what stands around it is left out
    friend bool operator==(const SolveChoices&, const SolveChoices&) = default;
};

/// Something measured on the set.
struct CheckPoint {
    int id = 0;
    std::string name;
    KnownMeasure measure;  ///< paths may be empty: read from a file, not assigned yet
    bool on = true;        ///< off: kept, not used
};

/// How a mover's size against the scene is found; pictures do not tell it.
enum class MoverScale {
    ground,    ///< its lowest points stand on the ground
    distance,  ///< between two of its points
    given      ///< by hand
};

/// A rigid thing in the plate with a motion of its own.
struct Mover {
    int id = 0;
    std::string name;
    std::vector<int> paths;  ///< ids; the camera's solve leaves them out
    MoverScale scaleBy = MoverScale::ground;
    int from = 0, to = 0;  ///< ids of the two points with a known distance
    double metres = 0;     ///< between them
    double size = 1;       ///< by hand: units of the solve's world for one of the mover's
    std::shared_ptr<const SolveResult> solve = std::make_shared<SolveResult>();
    uint64_t solveFrom = 0;  ///< fingerprint of what it was solved from; 0 = never
};

/// An edge in the plate that may be straight in the world.
struct StraightEdge {
    int id = 0;
    int frame = 0;
    std::vector<Eigen::Vector2d> points;  ///< px along it
    bool accepted = false;                ///< the artist takes it for straight; else it is a proposal
    bool drawn = false;                   ///< along the artist's stroke, else found by the program
    friend bool operator==(const StraightEdge&, const StraightEdge&) = default;
};

/// What measuring smeared frames anew has found and done.
struct MotionBlur {
    double openShare = 0;  ///< of a frame's time that the shutter is open; 0 = no blur was found
    FrameRange looked;     ///< frames whose paths stand for the shutter's middle by now
    int smeared = 0;       ///< frames among them that were measured anew
    friend bool operator==(const MotionBlur&, const MotionBlur&) = default;
};

/// What was drawn and found to match one picture by, and what came of it.
struct PhotoMatch {
    int frame = 0;
    std::vector<PhotoLine> lines;
    std::optional<PictureLine> horizon;
    std::optional<PhotoQuad> quad;
    std::vector<PhotoSpot> spots;
    double cameraHeight = 0;  ///< m over the ground; 0 = not known
    std::shared_ptr<const PhotoFit> fit = std::make_shared<PhotoFit>();
    [[nodiscard]] bool empty() const { return lines.empty() && !horizon && !quad && spots.empty(); }
};

/// A photo of the place that the shot shows, with a lens of its own.
struct ReferenceStill {
    int id = 0;
    std::string name;
    std::string file;           ///< where it lies, as given or made absolute on reading
    int width = 0, height = 0;  ///< px
    double pixelAspect = 1;
    std::optional<double> focalPx;  ///< from its metadata
    std::vector<StillMark> marks;
    bool on = true;  ///< off: kept, not used
    friend bool operator==(const ReferenceStill&, const ReferenceStill&) = default;
};

/// Everything the artist makes for one plate. A value: copies are cheap (large parts are shared and never changed), and
/// every edit makes a new one.
struct Shot {
    std::string name;
    std::string plateSpec;  ///< where the plate lies, as given or made absolute on reading
    PlateInfo plate;        ///< as found when last opened
    PlateOverrides overrides;
    FrameRange range;  ///< work range
    Density density = Density::normal;
    Care care = Care::quick;
    Exclusions exclusions;
    CameraPriors priors;
    SolveChoices choices;
    std::vector<StraightEdge> edges;
    std::vector<std::string> chartStills;  ///< where the stills of a lens chart lie
    std::shared_ptr<const ChartCalibration> chart = std::make_shared<ChartCalibration>();  ///< what came of them
    /// Automatic tracking looks at the plate undistorted by the lens as given: for distortion so strong that features
    /// deform on their way across the frame. Paths stay positions in the plate.
    bool trackUndistorted = false;
    uint64_t seed = 1;
    std::shared_ptr<const std::vector<Path>> paths = std::make_shared<std::vector<Path>>();
    uint64_t pathsFrom = 0;        ///< fingerprint of what the paths were tracked from; 0 = never tracked
    FrameRange tracked;            ///< frames that automatic tracking has covered
    Exclusions exclusionsTracked;  ///< as they were then
    PlateFindings findings;        ///< what tracking noticed about the plate
    MotionBlur blur;
    std::vector<FlatPatch> patches;
    std::shared_ptr<const SolveResult> solve = std::make_shared<SolveResult>();
    uint64_t solveFrom = 0;    ///< fingerprint of what the solve was made from; 0 = never solved
    std::string cameraFrom;    ///< name of the file that the camera was taken from; it is locked. Empty = solved here
    std::string refineReport;  ///< one sentence on the last refinement; empty = none since the last solve
    std::vector<CheckPoint> checkPoints;
    std::vector<PathEdit> pathEdits;
    std::vector<Mover> movers;
    PhotoMatch photo;
    std::vector<ReferenceStill> stills;
    std::vector<PictureLine> uprights;  ///< upright edges found in frames of the plate
    GroundSpec groundSpec;
    std::shared_ptr<const GroundBasis> groundBasis;  ///< made of the solve; null = not yet
    std::shared_ptr<const GroundFit> ground = std::make_shared<GroundFit>();
    std::vector<Thing> things;
    CameraLayers layers;  ///< on top of the solved camera
    ProofSpec proof;
    uint64_t exportedFrom = 0;  ///< fingerprint of what was last exported; 0 = never
    std::string exportReport;   ///< one sentence on the last export
    bool exportFailed = false;  ///< a file of it read back differently
    /// Pictures of the plate that the match at work has read; they live as long as it does. Not part of a project.
    std::weak_ptr<KeptPictures> pictures;

    [[nodiscard]] const Path* path(int id) const;
    [[nodiscard]] const Thing* thing(int id) const;
    [[nodiscard]] const FlatPatch* patch(int id) const;
    [[nodiscard]] const MaskShape* mask(int id) const;
    [[nodiscard]] const StraightEdge* straightEdge(int id) const;
    [[nodiscard]] const Mover* mover(int id) const;
    [[nodiscard]] const CheckPoint* checkPoint(int id) const;
    [[nodiscard]] const ReferenceStill* still(int id) const;
    /// The mover that a path belongs to, or null.
    [[nodiscard]] const Mover* moverOfPath(int pathId) const;
    /// A camera in a world with a ground: things can be put there.
    [[nodiscard]] bool hasWorld() const { return solve->hasDepth() || solve->motion == Motion::still; }
    [[nodiscard]] bool hasPlate() const { return plate.width > 0; }
    /// Rate after the artist's override.
    [[nodiscard]] Rational rate() const { return overrides.rate ? *overrides.rate : plate.rate; }
    [[nodiscard]] double pixelAspect() const {
        return (overrides.pixelAspect ? *overrides.pixelAspect : plate.pixelAspect).value();
    }
    /// Frames of the work range that have a picture.
    [[nodiscard]] std::vector<int> frames() const;
    /// The camera of a frame in the world: what projects, and what looks along pixels. Nothing where there is none.
    [[nodiscard]] std::optional<FrameCamera> cameraAt(int frame) const {
        return solve->cameraAt(frame, ground->worldFromSolve);
    }
    /// Pose of a frame's camera in the world, or nothing where there is none.
    [[nodiscard]] std::optional<CameraPose> worldPose(int frame) const;
    /// The lens as the artist gave it, without what a solve found; a focal length that is not known stands at 1.1
    /// widths, and the distortion is none where it is not known.
    [[nodiscard]] Intrinsics givenLens() const;
    /// The lens as far as it is known: the solved one, else the one that the artist gave with its focal length.
    [[nodiscard]] std::optional<Intrinsics> lens() const;
    /// The same as it was in a frame: a zoom changes it.
    [[nodiscard]] std::optional<Intrinsics> lensAt(int frame) const;
    /// Solved points in the world, in the order of solve->points.
    [[nodiscard]] Eigen::Vector3d worldPoint(const SolvedPoint& p) const {
        return ground->worldFromSolve.point(p.position);
    }
    [[nodiscard]] std::optional<Eigen::Vector3d> worldPointOfPath(int pathId) const;
    /// "m" after a length was given, else "units".
    [[nodiscard]] const char* unit() const { return ground->metric ? "m" : "units"; }
};

/// All that tells the camera of the shot's picture: lines, points and what is known of focal length and distortion. A
/// focal length that is only a start value is evidence; a known one is held.
PhotoEvidence photoEvidenceOf(const Shot& shot);

/// Distances measured on the set, as known lengths of the ground.
std::vector<KnownLength> setLengths(const Shot& shot);

/// Fingerprints: equal inputs give equal numbers. They tell what is stale. That of tracking leaves out the range and
/// the exclusions, whose changes only touch a part.
uint64_t fingerprintOfTrackInput(const Shot& shot);
uint64_t fingerprintOfSolveInput(const Shot& shot);
uint64_t fingerprintOfMoverInput(const Shot& shot, const Mover& mover);
uint64_t fingerprintOfExportInput(const Shot& shot);

}  // namespace va
