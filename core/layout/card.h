// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <string>

#include "layout/field.h"
#include "layout/shape.h"

namespace va {

/// A flat picture, movie or colour. It stands on the middle of its lower edge, faces +Z, and is seen from both sides.
struct Card {
    double width = 1, height = 1;  ///< world units
    std::string file;              ///< still, numbered stills or movie; empty = its colour
    double start = 0;              ///< frame of the plate that shows the file's first frame
    int blend = 0, after = 0;      ///< positions in the lists below

    static constexpr const char *word = "card", *label = "Card", *plural = "cards", *icon = "image";
    static constexpr std::array<Field<Card>, 3> fields{
        {{"size", "Width", FieldUnit::world, smallestSize, largestSize, &Card::width},
         {"size", "Height", FieldUnit::world, smallestSize, largestSize, &Card::height},
         {"start", "Start frame", FieldUnit::frames, -1e7, 1e7, &Card::start}}};
    static constexpr std::array<TextField<Card>, 1> texts{{{"file", "Picture", TextUse::pictureFile, &Card::file}}};
    static constexpr const char* blendWords[] = {"over", "add", "screen"};
    static constexpr const char* blendLabels[] = {"Over", "Add", "Screen"};
    static constexpr const char* afterWords[] = {"hold", "loop"};
    static constexpr const char* afterLabels[] = {"Hold", "Loop"};
    static constexpr std::array<ChoiceField<Card>, 2> choices{
        {{"blend", "Lies", blendWords, blendLabels, &Card::blend},
         {"after", "After its end", afterWords, afterLabels, &Card::after}}};

    [[nodiscard]] Shape shape() const {
        Shape s;
        const double x = width / 2;
        s.vertices = {{-x, 0, 0}, {x, 0, 0}, {x, height, 0}, {-x, height, 0}};
        s.addFace({0, 1, 2, 3}, 0), s.addFace({1, 0, 3, 2}, 0);
        s.uv = {{0, 0}, {1, 0}, {1, 1}, {0, 1}, {1, 0}, {0, 0}, {0, 1}, {1, 1}};
        Material m;
        m.unlit = true;
        m.blend = Blend(blend);
        m.picture = file;
        if (!file.empty()) m.colour = Eigen::Vector4d(1, 1, 1, 1);
        s.materials = {m};
        return s;
    }
};

}  // namespace va
