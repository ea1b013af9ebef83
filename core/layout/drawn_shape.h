// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <map>
#include <memory>

#include "layout/thing.h"

namespace va {

/// A shape made ready to be drawn: triangles with their normals, and the edges of its wire drawing.
struct DrawnShape {
    struct Triangle {
        std::array<int, 3> vertex;
        std::array<int, 3> corner;  ///< positions in the shape's lists of corners
        Eigen::Vector3f normal;     ///< zero where the triangle has no area
        int material;
    };
    Shape shape;
    std::vector<Triangle> triangles;
    std::vector<std::array<int, 2>> edges;  ///< sharp ones
    Eigen::Vector3d low = Eigen::Vector3d::Zero(), high = Eigen::Vector3d::Zero();

    explicit DrawnShape(Shape from);
};

/// The shape of a round prop with a quarter of its sides; of anything else its own.
Shape coarseShapeOf(const ThingKind& kind);

/// Keeps the drawn shapes of things, by id, as long as they stay as they are.
class DrawnShapes {
  public:
    /// `px`: how large the view shows the thing; small ones are drawn with fewer sides (coarseShapeOf).
    [[nodiscard]] std::shared_ptr<const DrawnShape> of(const Thing& thing, double frame, double rate, double px = 1e9);
    /// Below this many px nobody sees the sides of a round thing.
    static constexpr double coarseBelow = 56;

  private:
    struct Kept {
        ThingKind kind;
        double frame;
        const void* file;  ///< of a mesh: it may be read again
        std::shared_ptr<const DrawnShape> drawn;
    };
    std::map<int, Kept> kept_, coarse_;
};

}  // namespace va
