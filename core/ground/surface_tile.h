// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <functional>
#include <optional>
#include <vector>

#include "ground/ground.h"
#include "solve/frame_camera.h"

namespace va {

/// The surface at a position of the picture.
struct SurfaceTile {
    enum class From : uint8_t {
        points,  ///< a plane through the solved points around
        plane,   ///< a named plane
        ground,
    };
    From from = From::points;
    Eigen::Vector3d foot = Eigen::Vector3d::Zero();     ///< where the line of sight meets it; solve space
    Eigen::Vector3d normal = Eigen::Vector3d::UnitY();  ///< towards the camera
    int points = 0;                                     ///< that it goes through
    double rmsPx = 0;                                   ///< of those points from it
    int plane = 0;                                      ///< id of the named plane
    std::vector<int> paths;                             ///< of a plane through points: their ids
};

/// Finds the surface under a position of one frame's picture: a plane through the points that are seen around it,
/// robust against a second surface beside or behind; where they are too few, too far away in the picture or do not
/// agree, the named plane under it, and then the ground. Points are sorted into cells of the picture once a frame, so
/// that a question costs some 0.1 ms whatever their number.
class SurfaceFinder {
  public:
    /// `camera` in the space of the solve. `seen` says by path id which points the frame itself shows (empty: all):
    /// others may be hidden behind what it shows, and count only where those are too few. Keeps what it needs.
    SurfaceFinder(const GroundBasis& basis, const GroundFit& ground, const FrameCamera& camera, int width, int height,
                  const std::function<bool(int path)>& seen = {});

    /// Nothing where the line of sight meets nothing that is known.
    [[nodiscard]] std::optional<SurfaceTile> at(const Eigen::Vector2d& pixel) const;

  private:
    struct Seen {
        const SurePoint* point;
        Eigen::Vector2d pixel;
        bool shown;  ///< by the frame itself
    };
    [[nodiscard]] std::vector<Seen> around(const Eigen::Vector2d& pixel, bool shownOnly) const;
    [[nodiscard]] std::optional<SurfaceTile> byPoints(const Eigen::Vector2d& pixel, const Ray& ray,
                                                      bool shownOnly) const;

    std::vector<SurePoint> points_;  ///< those that the camera sees
    FrameCamera camera_;
    Eigen::Vector3d up_;
    std::vector<TakenPlane> planes_;
    std::optional<Surface> floor_;
    double cell_ = 1;  ///< px
    int columns_ = 1, rows_ = 1;
    std::vector<std::vector<Seen>> cells_;
};

}  // namespace va
