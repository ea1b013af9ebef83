// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <array>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/keyed.h"
#include "base/plane.h"
#include "base/progress.h"

namespace va {

/// Four corners of a patch in a picture, px, from top left clockwise.
using Corners = std::array<Eigen::Vector2d, 4>;

/// The map (3 × 3, scaled to 1 at the lower right) that takes `from` to `to`, four exact pairs. Nothing when three
/// corners of a side lie on a line.
std::optional<Eigen::Matrix3d> mapOfCorners(const Corners& from, const Corners& to);
Eigen::Vector2d throughMap(const Eigen::Matrix3d& map, const Eigen::Vector2d& pixel);

/// A flat region as it was found in one frame.
struct PatchFrame {
    int frame = 0;
    Eigen::Matrix3d map = Eigen::Matrix3d::Identity();  ///< reference frame pixels to this frame's
    double quality = 1;                                 ///< correlation of what is visible with the reference, 0..1
    double visible = 1;                                 ///< share of the region that agrees with the reference, 0..1
};

/// A flat region drawn by hand and tracked as a whole (planar track).
struct FlatPatch {
    int id = 0;
    std::string name;
    int referenceFrame = 0;
    std::vector<Eigen::Vector2d> outline;  ///< the region, px in the reference frame
    Corners corners;                       ///< what is tracked for the corner pin, px in the reference frame
    std::vector<PatchFrame> frames;        ///< in rising order
    Keyed<Corners> corrections;            ///< px that the artist moved the corners by
    std::string trouble;                   ///< why tracking stopped, as a sentence; empty when it went all the way

    [[nodiscard]] const PatchFrame* at(int frame) const;
    /// Corners in a frame: through the map, plus the corrections, which go evenly from one to the next (none in the
    /// reference frame, and the outermost ones stay). Nothing where the patch was not found.
    [[nodiscard]] std::optional<Corners> cornersAt(int frame) const;
    /// Reference frame pixels to this frame's, corrections included.
    [[nodiscard]] std::optional<Eigen::Matrix3d> mapAt(int frame) const;
};

/// What the region looks like in its reference frame, made ready for registration at several sizes.
///
/// Registration minimises Σ w ((I(map·p) − bias)/gain − T(p))² over the eight values of the map, gain and bias, by the
/// inverse compositional method (Baker & Matthews, IJCV 2004) from coarse to fine, with Tukey weights on a robust scale
/// (median) and on 12 px blocks, so that what passes in front is left out. Assumes that most of the region is visible
/// and that the start is within about a tenth of the region's size.
class FlatReference {
  public:
    /// `use(x, y)` leaves out pixels (masks); empty = all. Not usable with fewer than 200 pixels or without texture in
    /// two directions.
    FlatReference(const Luma& picture, const std::vector<Eigen::Vector2d>& outline,
                  const std::function<bool(double x, double y)>& use = {});
    [[nodiscard]] bool usable() const { return !levels_.empty(); }

    struct Result {
        Eigen::Matrix3d map;
        double quality = 0, visible = 0;
    };
    /// Nothing when it runs away or less than a quarter of the region lies in the picture.
    [[nodiscard]] std::optional<Result> registerIn(const Luma& picture, const Eigen::Matrix3d& start,
                                                   const std::function<bool(double x, double y)>& use = {}) const;

  private:
    struct Level {
        int level = 0;
        Eigen::Matrix<float, 2, Eigen::Dynamic> at;  ///< px of the reference frame
        Eigen::VectorXf texture;
        Eigen::Matrix<float, Eigen::Dynamic, 8> descent;  ///< by the map's values in normalised coordinates
        std::vector<int> block;
        int blocks = 0;
    };
    [[nodiscard]] std::optional<Result> refine(const Level& level, const Luma& picture, const Eigen::Matrix3d& start,
                                               const std::function<bool(double x, double y)>& use) const;

    std::vector<Level> levels_;                                ///< coarse to fine
    Eigen::Matrix3d normalise_ = Eigen::Matrix3d::Identity();  ///< px of the reference frame to −1..1
    int pyramidLevels_ = 1;
};

struct PatchTrackRequest {
    FlatPatch patch;
    std::vector<int> frames;  ///< all frames to track it over, rising; the reference frame is among them
    std::function<Luma(int)> read;
    std::function<bool(int frame, double x, double y)> allowed;  ///< masks; empty = everywhere
    bool forward = true, backward = true;
};

/// Tracks the patch out from its reference frame, forward and backward, each frame against the reference. What was
/// found before on the sides not asked for stays. Stops with a sentence in `trouble` where quality falls under 0.5 or
/// less than a fifth of it can be seen. Throws InputError from `read`, and Cancelled (nothing is changed then).
FlatPatch trackPatch(PatchTrackRequest request, Progress& progress);

/// The patch as if seen straight on: a width × height picture whose corners are the patch's corners in that frame.
/// Catmull–Rom sampling at exact positions; outside of the picture is 0.
Luma rectified(const Luma& picture, const Corners& corners, int width, int height);
DisplayPicture rectified(const DisplayPicture& picture, const Corners& corners, int width, int height);

}  // namespace va
