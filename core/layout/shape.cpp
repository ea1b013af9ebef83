// SPDX-License-Identifier: GPL-3.0-or-later
#include "layout/shape.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <numbers>

namespace va {
namespace {

/// Vertices at one position are one vertex: meshes repeat them along seams of their materials.
std::vector<int> joined(const std::vector<Eigen::Vector3d>& vertices) {
    std::vector<int> order(vertices.size()), out(vertices.size());
    for (size_t i = 0; i < order.size(); ++i) order[i] = int(i);
    const auto less = [&](int a, int b) {
        const Eigen::Vector3d &p = vertices[size_t(a)], &q = vertices[size_t(b)];
        return std::lexicographical_compare(p.data(), p.data() + 3, q.data(), q.data() + 3);
    };
    std::sort(order.begin(), order.end(), less);
    for (size_t i = 0; i < order.size(); ++i)
        out[size_t(order[i])] = i > 0 && vertices[size_t(order[i])] == vertices[size_t(order[i - 1])]
                                    ? out[size_t(order[i - 1])]
                                    : order[i];
    return out;
}

}  // namespace

std::vector<std::array<int, 2>> sharpEdges(const Shape& shape, double degrees) {
    struct Side {
        int low, high;
        size_t face;
    };
    const std::vector<int> one = joined(shape.vertices);
    std::vector<Side> sides;
    sides.reserve(shape.corners.size());
    std::vector<Eigen::Vector3d> normals;
    normals.reserve(shape.faceCount());
    size_t at = 0;
    for (size_t f = 0; f < shape.faceCount(); at += size_t(shape.counts[f]), ++f) {
        const auto n = size_t(shape.counts[f]);
        const auto vertex = [&](size_t i) { return one[size_t(shape.corners[at + i % n])]; };
        // Newell's sum: no corner of it may lie on a line with its neighbours.
        Eigen::Vector3d normal = Eigen::Vector3d::Zero();
        for (size_t i = 0; i < n; ++i) {
            normal += shape.vertices[size_t(vertex(i))].cross(shape.vertices[size_t(vertex(i + 1))]);
            sides.push_back({std::min(vertex(i), vertex(i + 1)), std::max(vertex(i), vertex(i + 1)), f});
        }
        normals.push_back(normal.norm() > 0 ? Eigen::Vector3d(normal.normalized()) : Eigen::Vector3d::Zero());
    }
    std::sort(sides.begin(), sides.end(), [](const Side& a, const Side& b) {
        return std::tie(a.low, a.high, a.face) < std::tie(b.low, b.high, b.face);
    });
    std::vector<std::array<int, 2>> out = shape.lines;
    const double flat = std::cos(degrees * std::numbers::pi / 180);
    for (size_t i = 0; i < sides.size();) {
        size_t end = i;
        while (end < sides.size() && sides[end].low == sides[i].low && sides[end].high == sides[i].high) ++end;
        const bool border = end - i != 2;
        if (sides[i].low != sides[i].high && (border || normals[sides[i].face].dot(normals[sides[i + 1].face]) < flat))
            out.push_back({sides[i].low, sides[i].high});
        i = end;
    }
    return out;
}

double volumeOf(const Shape& shape) {
    double sum = 0;
    for (const auto& [a, b, c] : shape.triangles())
        sum += shape.vertices[size_t(a)].dot(shape.vertices[size_t(b)].cross(shape.vertices[size_t(c)]));
    return sum / 6;
}

}  // namespace va
