// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "ground/level.h"
#include "ground/scale.h"
#include "solve/similarity.h"
#include "solve/solve_result.h"

namespace va {

/// A plane that the artist took and named, by the points that it goes through.
struct NamedPlane {
    int id = 0;
    std::string name;
    std::vector<int> paths;
    friend bool operator==(const NamedPlane&, const NamedPlane&) = default;
};

/// Where the world's origin lies; below it on the ground, where there is one.
struct WorldOrigin {
    enum class Kind : uint8_t {
        automatic,    ///< the middle of the floor
        point,        ///< a point
        middle,       ///< the middle of several points
        underCamera,  ///< under the camera of a frame
        corner,       ///< a corner of a named plane
    };
    Kind kind = Kind::automatic;
    std::vector<int> paths;
    int frame = 0;
    int plane = 0, corner = 0;  ///< id; which corner, 0..3, as Surface::corners
    friend bool operator==(const WorldOrigin&, const WorldOrigin&) = default;
};
inline constexpr const char* originWords[] = {"automatic", "point", "middle", "under_camera", "corner"};

/// Which way the world faces, turned about the upright.
struct WorldFacing {
    enum class Kind : uint8_t {
        automatic,  ///< the first camera looks along −Z
        points,     ///< from one point to another
        edge,       ///< an edge on the ground, drawn in a frame
        wall,       ///< the normal of a wall, from its points or a named plane
        camera,     ///< where the camera of a frame looks, backwards
    };
    Kind kind = Kind::automatic;
    std::vector<int> paths;  ///< from and to; of a wall
    PictureLine line;
    int plane = 0;
    int frame = 0;
    bool alongX = false;   ///< X lies along it instead of Z
    int quarterTurns = 0;  ///< counter-clockwise seen from above, on top of that
    friend bool operator==(const WorldFacing&, const WorldFacing&) = default;
};
inline constexpr const char* facingWords[] = {"automatic", "points", "edge", "wall", "camera"};

/// A point whose position in another shot's world is known.
struct SharedPoint {
    int path = 0;
    std::string name;
    Eigen::Vector3d position = Eigen::Vector3d::Zero();
    friend bool operator==(const SharedPoint&, const SharedPoint&) = default;
};

/// What the artist chose to make a level world of: by path ids and picture positions, so that it holds when the solve
/// is made anew.
struct GroundSpec {
    std::vector<LevelEvidence> level;  ///< empty = the automatic level
    WorldOrigin origin;
    WorldFacing facing;
    std::vector<KnownLength> lengths;
    std::vector<NamedPlane> planes;
    std::vector<SharedPoint> shared;  ///< three or more: the world is that of another shot
    Similarity byHand;                ///< applied after all that: fields, a gizmo, a pasted transform
    [[nodiscard]] const NamedPlane* plane(int id) const;
    friend bool operator==(const GroundSpec&, const GroundSpec&);
};

/// What a ground is made from besides the artist's choices: made once a solve.
struct GroundBasis {
    std::shared_ptr<const SolveResult> solve;
    std::vector<SurePoint> points;
    std::vector<Candidate> candidates;    ///< best first; floors are fitFloor's
    std::vector<PictureLine> uprights;    ///< upright edges found in frames; may be empty
    std::vector<KnownLength> setLengths;  ///< distances measured on the set
    Eigen::Vector3d cameras = Eigen::Vector3d::Zero(), cameraUp = Eigen::Vector3d::UnitY();  ///< means
};
std::shared_ptr<const GroundBasis> makeGroundBasis(std::shared_ptr<const SolveResult> solve,
                                                   std::vector<PictureLine> uprights = {},
                                                   std::vector<KnownLength> setLengths = {});

/// A named plane in the solve's space.
struct TakenPlane {
    int id = 0;
    Surface surface;
};

/// How the solve's space becomes the level world.
struct GroundFit {
    bool level = false;   ///< something tells the upright; else the world is the solve's own
    bool metric = false;  ///< lengths are known: units are metres
    bool placed = false;  ///< known positions, or another shot, say where the world is
    Similarity worldFromSolve;
    std::optional<Surface> floor;       ///< the ground, in the solve's space, where there is one
    std::vector<int> usedPaths;         ///< the points that the floor goes through
    double rms = 0;                     ///< of those points from the floor, in world units
    double levelSigmaDeg = -1;          ///< expected error of the upright; negative = not known
    std::vector<LevelReport> evidence;  ///< one a piece of evidence: the chosen ones in their order, or the found ones
    double scaleSigma = -1;             ///< relative; negative = no scale
    std::vector<ScaleReport> lengths;   ///< one a length of the choices, then one a length measured on the set
    std::vector<TakenPlane> planes;     ///< those named planes that this solve holds
    std::vector<double> sharedResiduals;  ///< one a shared point, in world units; negative = not in this solve
    std::string trouble;                  ///< sentence; empty when all that was asked for was done
};

/// Builds the world: upright (chosen evidence, or all that the basis holds), floor, origin, facing, scale, and what was
/// done by hand. Whatever can't be had (points missing from this solve, on a line, the same point twice) is left out
/// and said in `trouble`; the rest is done. Known positions that the solve used give the world where the artist chose
/// nothing else but lengths. A solve without depth gives its own world.
GroundFit buildGround(const GroundBasis& basis, const GroundSpec& spec);

}  // namespace va
