// SPDX-License-Identifier: GPL-3.0-or-later
#include "layout/drawn_shape.h"

#include <Eigen/Geometry>

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

std::shared_ptr<const DrawnShape> DrawnShapes::of(const Thing& thing, double frame, double rate) {
    const auto* mesh = std::get_if<Mesh>(&thing.kind);
    const auto file = mesh ? assets().mesh(mesh->file) : nullptr;
    if (!(file && file->moves())) frame = 0;
    const auto had = kept_.find(thing.id);
    if (had != kept_.end() && had->second.frame == frame && had->second.file == file.get() &&
        sameKind(had->second.kind, thing.kind))
        return had->second.drawn;
    auto drawn = std::make_shared<const DrawnShape>(shapeOf(thing.kind, frame, rate));
    kept_.insert_or_assign(thing.id, Kept{thing.kind, frame, file.get(), drawn});
    return drawn;
}

}  // namespace va
