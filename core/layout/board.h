// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <cmath>

#include "layout/field.h"
#include "layout/shape.h"

namespace va {

/// A flat checker board that lies on its middle: perspective and slide show on it at once.
struct Board {
    double width = 2, depth = 2;  ///< world units
    double square = 0.25;         ///< side of one

    static constexpr const char *word = "board", *label = "Checker board", *plural = "checker boards",
                                *icon = "grid-3x3";
    static constexpr std::array<Field<Board>, 3> fields{
        {{"size", "Width", FieldUnit::world, smallestSize, largestSize, &Board::width},
         {"size", "Depth", FieldUnit::world, smallestSize, largestSize, &Board::depth},
         {"square", "Square", FieldUnit::world, smallestSize, largestSize, &Board::square}}};

    /// Squares from its left far corner on; the last ones are cut off where they do not fit. At most a hundred each
    /// way.
    [[nodiscard]] Shape shape() const {
        const auto cuts = [this](double length) {
            const double step = std::max(square, length / 100);
            std::vector<double> at;
            for (int i = 0; i * step < length - 1e-9 * length; ++i) at.push_back(i * step - length / 2);
            at.push_back(length / 2);
            return at;
        };
        const std::vector<double> x = cuts(width), z = cuts(depth);
        Shape s;
        s.materials.resize(2);
        s.materials[1].colour = Eigen::Vector4d(0.93, 0.93, 0.92, 1);
        for (const double b : z)
            for (const double a : x) s.vertices.emplace_back(a, 0, b);
        const int n = int(x.size());
        for (int j = 0; j + 1 < int(z.size()); ++j)
            for (int i = 0; i + 1 < n; ++i)
                s.addFace({j * n + i, (j + 1) * n + i, (j + 1) * n + i + 1, j * n + i + 1}, (i + j) % 2);
        return s;
    }
};

}  // namespace va
