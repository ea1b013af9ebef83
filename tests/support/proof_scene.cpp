// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof_scene.h"

#include <cmath>

namespace va::test {

void ProofScene::look(const Eigen::Vector3d& from, const Eigen::Vector3d& to, int width, int height, double focalPx,
                      const LensModel& lens) {
    const Eigen::Vector3d back = (from - to).normalized();
    const Eigen::Vector3d up = std::fabs(back.y()) > 0.999 ? Eigen::Vector3d(0, 0, -1) : Eigen::Vector3d(0, 1, 0);
    Eigen::Matrix3d axes;
    axes.col(2) = back;
    axes.col(0) = up.cross(back).normalized();
    axes.col(1) = back.cross(axes.col(0));
    const Intrinsics inner{focalPx, 1, {(width - 1) / 2.0, (height - 1) / 2.0}, lens};
    cameras = {FrameCamera({from, Eigen::Quaterniond(axes)}, inner)};
    area = frameOfPlate(width, height);
}

void ProofScene::add(Shape shape, ProofPart part, const Eigen::Vector4d& colour, bool round) {
    ProofItem item;
    item.id = int(items.size()) + 1;
    item.part = part;
    item.shape = std::make_shared<const DrawnShape>(std::move(shape));
    item.worldFromShape = {Similarity()};
    item.colour = colour;
    item.round = round;
    items.push_back(std::move(item));
}

std::unique_ptr<ProofRender> ProofScene::render(int samples) const {
    const Eigen::Vector3d origin = cameras[cameras.size() / 2].pose().position;
    auto scene = std::make_shared<const RayScene>(items, origin);
    // Places of lights are told from the scene's origin.
    std::vector<ProofLight> moved = lights;
    for (ProofLight& l : moved) {
        if (auto* a = std::get_if<AreaLight>(&l)) a->corner -= origin.cast<float>();
        if (auto* b = std::get_if<SpotLight>(&l)) b->position -= origin.cast<float>();
    }
    auto out = std::make_unique<ProofRender>(scene, moved, CameraRays(cameras, area, origin), area, options);
    out->add(samples);
    return out;
}

Shape disc(double radius, double height, int sides) {
    Shape s;
    s.vertices.emplace_back(0, height, 0);
    for (int i = 0; i < sides; ++i) {
        const double a = 2 * M_PI * i / sides;
        s.vertices.emplace_back(radius * std::cos(a), height, radius * std::sin(a));
    }
    for (int i = 0; i < sides; ++i) s.addFace({0, 1 + (i + 1) % sides, 1 + i});
    return s;
}

Shape levelRectangle(double x0, double z0, double x1, double z1, double height) {
    Shape s;
    s.vertices = {{x0, height, z0}, {x0, height, z1}, {x1, height, z1}, {x1, height, z0}};
    s.addFace({0, 1, 2, 3});
    return s;
}

}  // namespace va::test
