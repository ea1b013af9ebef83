// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <array>
#include <optional>
#include <vector>

namespace va {

/// What a thing looks like, in its own axes: X right, Y up, the origin at its foot, world units.
struct Shape {
    std::vector<Eigen::Vector3d> vertices;
    std::vector<std::vector<int>> faces;    ///< flat convex polygons, counter-clockwise seen from outside
    std::vector<std::array<int, 2>> lines;  ///< besides the faces' edges
    std::optional<int> label;               ///< vertex that the thing's name is written at

    /// Faces cut into triangles, for renders and files that know nothing else.
    [[nodiscard]] std::vector<std::array<int, 3>> triangles() const {
        std::vector<std::array<int, 3>> out;
        for (const std::vector<int>& f : faces)
            for (size_t i = 2; i < f.size(); ++i) out.push_back({f[0], f[i - 1], f[i]});
        return out;
    }
};

}  // namespace va
