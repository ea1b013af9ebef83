// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "ground/candidates.h"
#include "ground/floor_fit.h"

namespace va {

/// What tells which way is up.
enum class LevelKind : uint8_t {
    floor,       ///< points on a level floor: its normal is upright
    wall,        ///< points on an upright wall: its normal is level
    upright,     ///< an upright edge in a frame
    horizon,     ///< the horizon in a frame, between two positions on it
    cameraRoll,  ///< cameras are held level from side to side, more or less
};
inline constexpr const char* levelWords[] = {"floor", "wall", "upright", "horizon", "camera_roll"};

/// A straight line in a frame, between two positions in px of the plate.
struct PictureLine {
    int frame = 0;
    Eigen::Vector2d a = Eigen::Vector2d::Zero(), b = Eigen::Vector2d::Zero();
    friend bool operator==(const PictureLine&, const PictureLine&) = default;
};

/// One piece of evidence that the artist chose.
struct LevelEvidence {
    LevelKind kind = LevelKind::floor;
    std::vector<int> paths;  ///< of a floor or a wall
    PictureLine line;        ///< of an upright edge or the horizon
    friend bool operator==(const LevelEvidence&, const LevelEvidence&) = default;
};

/// Evidence as geometry: directions of the solve's space that are level, each with the deviation in radians to which
/// that is known. A floor gives two, the horizon two, all others one.
struct LevelRows {
    LevelKind kind = LevelKind::floor;
    std::vector<Eigen::Vector3d> level;
    std::vector<double> sigma;
    int count = 0;  ///< points or edges that it stands for
};

/// A wall's or a floor's rows, from its surface.
LevelRows rowsOfFloor(const Surface& floor);
LevelRows rowsOfWall(const Surface& wall, const Eigen::Vector3d& up);
/// Of a line in a frame: its plane of view is upright (an upright edge), or its rays are level (horizon). Empty where
/// the frame has no camera or the line no length. `sigmaPx` is how far each end may be off.
LevelRows rowsOfLine(LevelKind kind, const PictureLine& line, const CameraTrack& cameras, double sigmaPx);
/// The cameras' rows: their right axes are level, to 3° as a whole and not each on its own.
LevelRows rowsOfCameras(const CameraTrack& cameras);
/// The cameras' mean view is level, to 15°: where nothing else tells how far they look up or down.
LevelRows rowsOfView(const CameraTrack& cameras);

/// How one piece of evidence fits the level that came of all.
struct LevelReport {
    LevelKind kind = LevelKind::floor;
    int count = 0;         ///< points or edges
    double misfitDeg = 0;  ///< angle between what it says and the level
    double sigmaDeg = 0;   ///< that it is known to on its own
    bool used = false;     ///< else it contradicts the others
};

struct LevelFit {
    Eigen::Vector3d up = Eigen::Vector3d::UnitY();
    Eigen::Matrix3d covariance = Eigen::Matrix3d::Zero();  ///< of up: of rank two, across it; radians²
    std::vector<LevelReport> reports;                      ///< one a piece of evidence

    /// Expected angle between `up` and the true upright: the root of both variances' sum.
    [[nodiscard]] double sigmaDeg() const;
};

/// The upright that all evidence together says best: smallest Σ (direction · up / σ)² over unit vectors, the smallest
/// eigenvector of the weighted sum of outer products. Where residuals are larger than the deviations explain, the
/// deviations grow until they do. With `sort`, evidence that contradicts what most of it says is left out: the start
/// is the direction among those that single pieces or pairs of them propose that has most weight behind it. Nothing
/// where the evidence leaves the upright open (a single wall, edges that are parallel in one frame and nothing else):
/// to more than 20°. `near` picks the sign.
std::optional<LevelFit> fitLevel(const std::vector<LevelRows>& evidence, const Eigen::Vector3d& near, bool sort);

}  // namespace va
