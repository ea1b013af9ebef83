// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "base/keyed.h"

namespace va {

/// A point of a mask's outline with its two Bézier handles, given as offsets; both zero = a corner.
struct MaskPoint {
    Eigen::Vector2d at = Eigen::Vector2d::Zero();  ///< px
    Eigen::Vector2d in = Eigen::Vector2d::Zero(), out = Eigen::Vector2d::Zero();
    friend bool operator==(const MaskPoint&, const MaskPoint&) = default;
};

inline MaskPoint operator+(const MaskPoint& a, const MaskPoint& b) { return {a.at + b.at, a.in + b.in, a.out + b.out}; }
inline MaskPoint operator*(double w, const MaskPoint& p) { return {w * p.at, w * p.in, w * p.out}; }

/// What a mask moves with.
enum class MaskRide : uint8_t { nothing, patch, path };

/// A drawn shape that keeps features out, or in.
struct MaskShape {
    int id = 0;
    std::string name;
    bool enabled = true;
    bool exclude = true;  ///< false: features only inside of it (or of another including shape)
    bool invert = false;
    double grow = 0;     ///< px outward; negative shrinks
    double feather = 0;  ///< px over which it fades, half on each side of the outline
    MaskRide ride = MaskRide::nothing;
    int rideId = 0;                      ///< of the patch or path; keys are then in the pixels of its reference frame
    Keyed<std::vector<MaskPoint>> keys;  ///< all with the same number of points
    friend bool operator==(const MaskShape&, const MaskShape&) = default;

    /// The points in a frame before riding.
    [[nodiscard]] std::vector<MaskPoint> pointsAt(int frame) const;
    /// Sets the points in a frame: a new key, or the frame's key changed.
    void setPoints(int frame, const std::vector<MaskPoint>& points);
    /// Puts a point on the outline between `after` and the next one, in every key, without changing the shape (de
    /// Casteljau).
    void insertPoint(size_t after);
    /// Takes a point out of every key; three always stay.
    void removePoint(size_t index);
};

/// The outline as a polygon, Bézier segments in steps of about two pixels.
std::vector<Eigen::Vector2d> flattened(const std::vector<MaskPoint>& points);

/// Even–odd rule.
bool insideOutline(const std::vector<Eigen::Vector2d>& outline, const Eigen::Vector2d& p);

/// Distance to the outline, px, negative inside; far away for fewer than two points.
double signedDistance(const std::vector<Eigen::Vector2d>& outline, const Eigen::Vector2d& p);

/// Where a shape's keys go in a frame: px of the ride's reference frame to px of this one. Nothing = the ride is not
/// there in this frame, and neither is the mask.
using RideMap = std::function<std::optional<Eigen::Matrix3d>(const MaskShape& shape, int frame)>;

/// All shapes of a shot together: features are kept out of excluding ones, and kept in including ones if there are any.
/// Safe to ask from several threads.
class MaskSet {
  public:
    MaskSet(std::vector<MaskShape> shapes, RideMap ride);
    [[nodiscard]] bool empty() const { return shapes_.empty(); }
    /// How much the shapes cover a position, 0..1: 1 = no features here.
    [[nodiscard]] double coverage(int frame, double x, double y) const;
    [[nodiscard]] bool allowed(int frame, double x, double y) const { return coverage(frame, x, y) < 0.5; }

  private:
    struct Outline {
        const MaskShape* shape;
        std::vector<Eigen::Vector2d> polygon;
        Eigen::Vector2d lowest, highest;  ///< of the polygon with what grows and fades around it
    };
    std::shared_ptr<const std::vector<Outline>> outlines(int frame) const;
    std::shared_ptr<const std::vector<Outline>> outlinesOf(int frame) const;

    std::vector<MaskShape> shapes_;
    RideMap ride_;
    mutable std::mutex mutex_;
    mutable std::map<int, std::shared_ptr<const std::vector<Outline>>> cache_;
};

}  // namespace va
