// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <vector>

#include "proof/render.h"

namespace va::test {

/// A small scene to be rendered, with a camera that sees it.
struct ProofScene {
    std::vector<ProofItem> items;
    std::vector<ProofLight> lights;
    std::vector<FrameCamera> cameras;  ///< over the shutter
    ProofFrame area;
    ProofOptions options;

    /// `from` looking at `to`, a picture of that size with a focal length in px; Y is up where that can be.
    void look(const Eigen::Vector3d& from, const Eigen::Vector3d& to, int width, int height, double focalPx,
              const LensModel& lens = {});
    void add(Shape shape, ProofPart part = ProofPart::shown, const Eigen::Vector4d& colour = {1, 1, 1, 1},
             bool round = false);
    [[nodiscard]] std::unique_ptr<ProofRender> render(int samples) const;
};

/// A flat polygon with `sides` about the upright at a height, facing down and up; a level rectangle.
Shape disc(double radius, double height, int sides = 1024);
Shape levelRectangle(double x0, double z0, double x1, double z1, double height);

}  // namespace va::test
