// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

#include "proof/lanes.h"
#include "solve/frame_camera.h"

namespace va {

/// The part of the picture plane that is rendered, px of the plate: pixel (0, 0) of the render has its middle there,
/// and neighbours are `step` px apart. Overscan begins at negative positions.
struct ProofFrame {
    int width = 0, height = 0;
    double left = 0, top = 0, step = 1;
    [[nodiscard]] Eigen::Vector2f platePx(float x, float y) const {
        return {float(left + double(x) * step), float(top + double(y) * step)};
    }
};
/// The whole plate, every `step`th px wide: 4 = a quarter of its size.
ProofFrame frameOfPlate(int width, int height, int step = 1);

/// Rays through any place in the picture at any time that the shutter is open, by the solved camera and its lens: a
/// table of FrameCamera::ray() every four px, between which directions go evenly (an error of less than 0.002 px under
/// any lens that does not fold). With a rolling shutter each row has its own place.
class CameraRays {
  public:
    /// `over`: cameras evenly over the time that the shutter is open; one = all at once. `origin` is what ray origins
    /// are told from.
    CameraRays(const std::vector<FrameCamera>& over, const ProofFrame& frame, const Eigen::Vector3d& origin);
    struct Line {
        Eigen::Vector3f from, along;  ///< unit
    };
    /// Nothing where the lens shows nothing. `px` is in the plate's pixels, `time` 0..1.
    [[nodiscard]] std::optional<Line> at(const Eigen::Vector2f& px, float time) const;
    /// The same at one time, for rows of the render from `top` on, no more than a blur of `reach` rows outside:
    /// quicker to ask.
    [[nodiscard]] CameraRays strip(float time, const ProofFrame& frame, int top, int rows, double reach) const;
    /// Rays of a strip through places that are `on`, px of the plate; those where the lens shows nothing go out.
    void through(const Lanes& x, const Lanes& y, Lanes3& from, Lanes3& along, LaneMask& on) const;
    [[nodiscard]] bool moves() const { return tables_.size() > 1; }
    /// Width of a pixel of the render per unit of distance.
    [[nodiscard]] float spread() const { return spread_; }
    /// The middle camera's right, up and forward.
    [[nodiscard]] const Eigen::Matrix3f& axes() const { return axes_; }

  private:
    using Four = float __attribute__((vector_size(16)));
    struct Node {
        Four from, along;  ///< x, y, z and nothing
    };
    struct Table {
        const Node* nodes;
        int columns, rows;
        float left, top;
    };
    static void blend(const Table& table, const Lanes& x, const Lanes& y, Lanes3& from, Lanes3& along, LaneMask& on);
    [[nodiscard]] bool node(size_t table, float x, float y, Node& out) const;
    CameraRays() = default;
    static constexpr double spacing = 4;
    double left_ = 0, top_ = 0;
    int columns_ = 0, rows_ = 0;
    std::vector<std::vector<Node>> tables_;
    float spread_ = 0;
    Eigen::Matrix3f axes_ = Eigen::Matrix3f::Identity();
};

}  // namespace va
