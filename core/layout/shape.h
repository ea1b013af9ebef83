// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace va {

/// How the light that comes from a surface joins what lies behind it.
enum class Blend : uint8_t {
    over,   ///< covers it, as far as it is opaque
    add,    ///< is added: what is black is not seen
    screen  ///< 1 − (1 − a)(1 − b): added, and never beyond white
};

/// What a face is made of.
struct Material {
    std::optional<Eigen::Vector4d> colour;  ///< red, green, blue, opacity, 0..1, as displayed; none: the thing's own
    double roughness = 1, metalness = 0;
    std::string picture;  ///< file that the colour is multiplied by; empty = none
    Blend blend = Blend::over;
    bool unlit = false;  ///< shown as it is, whatever the light: pictures and flat marks
    friend bool operator==(const Material&, const Material&) = default;
};

/// What a thing looks like, in its own axes: X right, Y up, Z to the front, the origin at its foot, world units.
///
/// Faces are flat convex polygons, counter-clockwise seen from outside, all their corners in one list: meshes of a
/// hundred thousand triangles are shapes as well.
struct Shape {
    std::vector<Eigen::Vector3d> vertices;
    std::vector<int> corners;               ///< vertices of all faces, one face after the other
    std::vector<int> counts;                ///< how many of them each face has, three or more
    std::vector<Eigen::Vector2d> uv;        ///< one a corner, (0, 0) at the picture's bottom left; empty = no pictures
    std::vector<int> material;              ///< one a face, a position in `materials`; empty = all the first one
    std::vector<Material> materials;        ///< empty = one plain one
    std::vector<std::array<int, 2>> lines;  ///< besides the faces' edges
    std::optional<int> label;               ///< vertex that the thing's name is written at

    [[nodiscard]] size_t faceCount() const { return counts.size(); }
    void addFace(std::initializer_list<int> of, int materialIndex = -1) {
        corners.insert(corners.end(), of);
        counts.push_back(int(of.size()));
        if (materialIndex >= 0) material.push_back(materialIndex);
    }
    /// Faces cut into triangles; each holds the positions of its corners in `corners`.
    [[nodiscard]] std::vector<std::array<int, 3>> cornerTriangles() const {
        std::vector<std::array<int, 3>> out;
        out.reserve(corners.size());
        int at = 0;
        for (const int n : counts) {
            for (int i = 2; i < n; ++i) out.push_back({at, at + i - 1, at + i});
            at += n;
        }
        return out;
    }
    /// The same by vertices, for renders and files that know nothing else.
    [[nodiscard]] std::vector<std::array<int, 3>> triangles() const {
        std::vector<std::array<int, 3>> out = cornerTriangles();
        for (auto& t : out)
            for (int& i : t) i = corners[size_t(i)];
        return out;
    }
    /// The smallest and the largest coordinates. Zero without vertices.
    [[nodiscard]] std::pair<Eigen::Vector3d, Eigen::Vector3d> bounds() const {
        if (vertices.empty()) return {Eigen::Vector3d::Zero(), Eigen::Vector3d::Zero()};
        std::pair<Eigen::Vector3d, Eigen::Vector3d> b{vertices[0], vertices[0]};
        for (const Eigen::Vector3d& v : vertices) b = {b.first.cwiseMin(v), b.second.cwiseMax(v)};
        return b;
    }
};

/// The edges that a wire drawing of a shape shows: those of its lines, borders, and those between faces that meet at
/// more than `degrees`. Each is a pair of vertices.
std::vector<std::array<int, 2>> sharpEdges(const Shape& shape, double degrees = 20);

/// The volume that a closed shape encloses, by the divergence theorem; negative where its faces look inward.
double volumeOf(const Shape& shape);

}  // namespace va
