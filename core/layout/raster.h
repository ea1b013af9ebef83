// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Geometry>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <vector>

#include "base/picture.h"
#include "layout/drawn_shape.h"
#include "solve/similarity.h"

namespace va {

/// How the world is seen: the position of a world point in the picture that is drawn, px, and its depth. Straight lines
/// may become bent ones.
struct RasterView {
    /// Nothing where the point can't be seen: behind the camera, beyond the lens model's fold.
    std::function<std::optional<Eigen::Vector2d>(const Eigen::Vector3d&)> project;
    Eigen::Vector3d eye = Eigen::Vector3d::Zero();
    Eigen::Vector3d forward{0, 0, -1};  ///< unit; the depth of p is forward · (p − eye)
    double nearest = 1e-3;              ///< what is not as deep as this is cut off; ignored by a parallel view
    bool parallel = false;              ///< seen from infinitely far along `forward`
    bool bends = false;                 ///< a lens bends straight lines: long edges are drawn in pieces
};

/// Something to be drawn.
struct RasterItem {
    std::shared_ptr<const DrawnShape> shape;
    Similarity worldFromShape;
    Eigen::Vector4d colour{0.341, 0.722, 0.710, 1};  ///< where a material has none of its own
    bool solid = true, wire = true;
    bool fullWire = false;                                  ///< all edges of its faces, not the sharp ones only
    Eigen::Vector4d line{0, 0, 0, 0.55};                    ///< colour of the wire
    double lineWidth = 1;                                   ///< px
    std::vector<std::shared_ptr<const Picture8>> pictures;  ///< one a material; may be empty or hold null
};

/// A picture with alpha: 0xAARRGGBB, colour multiplied by alpha, rows from the top. What is to be added to the picture
/// behind has colour without alpha.
struct RasterPicture {
    int width = 0, height = 0;
    std::vector<uint32_t> argb;
};

/// Draws triangles and lines with depth, in software, on the threads that there are.
///
/// Each triangle is cut at the nearest depth, projected corner by corner, and, under a lens that bends, split along its
/// edges until each differs by less than a fifth of a pixel from the curve that it stands for; neighbours split their
/// common edge in the same place. Rows are drawn in bands, with a depth for each pixel: nearness is even over a flat
/// triangle in the picture. What is not opaque is drawn afterwards, far things first. `samples` 2 draws twice as wide
/// and high and averages. Shading is for reading shapes by, not a render: one light from above, and the viewer's own.
RasterPicture drawShapes(const std::vector<RasterItem>& items, const RasterView& view, int width, int height,
                         int samples = 1);

/// How many px a view shows a length across the line of sight at a place; very many where the place can't be seen.
double pxAt(const RasterView& view, const Eigen::Vector3d& place, double length);

/// The path of a straight world line in the picture, in pieces that differ by less than a fifth of a pixel from the
/// true curve; empty lists where it leaves what can be seen. One list a stretch.
std::vector<std::vector<Eigen::Vector2d>> curveOf(const Eigen::Vector3d& a, const Eigen::Vector3d& b,
                                                  const RasterView& view);

/// Distance along a ray (unit direction) to the nearest triangle, in world units; nothing where it meets none.
std::optional<double> rayMeets(const Eigen::Vector3d& origin, const Eigen::Vector3d& direction, const DrawnShape& shape,
                               const Similarity& worldFromShape);

}  // namespace va
