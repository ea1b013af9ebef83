// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <array>
#include <cmath>

#include "layout/field.h"
#include "layout/round_shapes.h"

namespace va {

/// A person-high post with light and dark bands, each 0.1 m: scale can be read off it. Its height stays in metres
/// whatever the scene's scale becomes.
struct Post {
    double height = 1.8, diameter = 0.1;  ///< metres

    static constexpr const char *word = "post", *label = "Post", *plural = "posts", *icon = "ruler-dimension-line";
    static constexpr std::array<Field<Post>, 2> fields{
        {{"height", "Height", FieldUnit::metres, smallestSize, 1000, &Post::height},
         {"diameter", "Diameter", FieldUnit::metres, smallestSize, 1000, &Post::diameter}}};
    static constexpr double band = 0.1;

    [[nodiscard]] Shape shape() const {
        // More than a thousand bands are none.
        const int bands = height / band < 1000 ? int(std::ceil(height / band - 1e-9)) : 1;
        std::vector<Eigen::Vector2d> profile;
        std::vector<int> materials;
        for (int i = 0; i <= bands; ++i) {
            profile.emplace_back(diameter / 2, i == bands ? height : band * i);
            materials.push_back(i % 2);
        }
        materials.pop_back();
        Shape s = turnedShape(profile, 24, materials);
        s.materials.resize(2);
        s.materials[1].colour = Eigen::Vector4d(0.93, 0.93, 0.92, 1);
        return s;
    }
};

}  // namespace va
