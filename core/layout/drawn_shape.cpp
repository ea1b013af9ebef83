// SPDX-License-Identifier: GPL-3.0-or-later
#include "layout/drawn_shape.h"

#include <Eigen/Geometry>
#include <cmath>

#include "layout/assets.h"

namespace va {

DrawnShape::DrawnShape(Shape from) : shape(std::move(from)) {
    if (shape.materials.empty()) shape.materials.emplace_back();
    std::vector<int> materialOf;
    for (size_t f = 0; f < shape.faceCount(); ++f) {
        const int m = shape.material.empty() ? 0 : shape.material[f];
        materialOf.insert(materialOf.end(), size_t(shape.counts[f] - 2), m);
    }
    const auto cut = shape.cornerTriangles();
    triangles.reserve(cut.size());
    for (size_t i = 0; i < cut.size(); ++i) {
        Triangle t{{}, cut[i], Eigen::Vector3f::Zero(), materialOf[i]};
        for (size_t k = 0; k < 3; ++k) t.vertex[k] = shape.corners[size_t(cut[i][k])];
        const Eigen::Vector3d &a = shape.vertices[size_t(t.vertex[0])], &b = shape.vertices[size_t(t.vertex[1])],
                              &c = shape.vertices[size_t(t.vertex[2])];
        const Eigen::Vector3d n = (b - a).cross(c - a);
        if (n.norm() > 0) t.normal = n.normalized().cast<float>();
        triangles.push_back(t);
    }
    edges = sharpEdges(shape);
    std::tie(low, high) = shape.bounds();
}

Shape coarseShapeOf(const ThingKind& kind) {
    constexpr int sides = 12;
    if (const auto* ball = std::get_if<Ball>(&kind)) {
        std::vector<Eigen::Vector2d> profile;
        for (int i = 0; i <= sides / 2; ++i) {
            const double a = 2 * M_PI * i / sides;
            profile.emplace_back(i == 0 || i == sides / 2 ? 0 : ball->diameter / 2 * std::sin(a),
                                 ball->diameter / 2 * (1 - std::cos(a)));
        }
        return turnedShape(profile, sides);
    }
    if (const auto* cone = std::get_if<Cone>(&kind)) {
        const std::array<Eigen::Vector2d, 2> profile{Eigen::Vector2d(cone->diameter / 2, 0),
                                                     Eigen::Vector2d(0, cone->height)};
        return turnedShape(profile, sides);
    }
    if (const auto* cylinder = std::get_if<Cylinder>(&kind)) {
        const std::array<Eigen::Vector2d, 2> profile{Eigen::Vector2d(cylinder->diameter / 2, 0),
                                                     Eigen::Vector2d(cylinder->diameter / 2, cylinder->height)};
        return turnedShape(profile, sides);
    }
    if (const auto* post = std::get_if<Post>(&kind)) {
        // Its bands as they are: a face of each step tells the band's material, the bottom is the first face.
        const Shape full = post->shape();
        const size_t around = size_t(full.counts.front()), steps = full.vertices.size() / around;
        std::vector<Eigen::Vector2d> profile;
        std::vector<int> bands;
        for (size_t k = 0; k < steps; ++k) {
            profile.emplace_back(post->diameter / 2, full.vertices[k * around].y());
            if (k + 1 < steps) bands.push_back(full.material[1 + k * around]);
        }
        Shape out = turnedShape(profile, 6, bands);
        out.materials = full.materials;
        return out;
    }
    return shapeOf(kind);
}

std::shared_ptr<const DrawnShape> DrawnShapes::of(const Thing& thing, double frame, double rate, double px) {
    const bool round = std::holds_alternative<Ball>(thing.kind) || std::holds_alternative<Cone>(thing.kind) ||
                       std::holds_alternative<Cylinder>(thing.kind) || std::holds_alternative<Post>(thing.kind);
    const bool coarse = round && px < coarseBelow;
    std::map<int, Kept>& kept = coarse ? coarse_ : kept_;
    const auto* mesh = std::get_if<Mesh>(&thing.kind);
    const auto file = mesh ? assets().mesh(mesh->file) : nullptr;
    if (!(file && file->moves())) frame = 0;
    const auto had = kept.find(thing.id);
    if (had != kept.end() && had->second.frame == frame && had->second.file == file.get() &&
        sameKind(had->second.kind, thing.kind))
        return had->second.drawn;
    auto drawn =
        std::make_shared<const DrawnShape>(coarse ? coarseShapeOf(thing.kind) : shapeOf(thing.kind, frame, rate));
    kept.insert_or_assign(thing.id, Kept{thing.kind, frame, file.get(), drawn});
    return drawn;
}

}  // namespace va
