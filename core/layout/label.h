// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <string>

#include "layout/field.h"
#include "layout/glyphs.h"
#include "layout/shape.h"

namespace va {

/// Text as a solid. It stands on the middle of its base line and faces +Z; its back lies in the plane of its foot.
struct Label {
    std::string words = "LABEL";
    std::string font;     ///< family; empty = the one that comes with the program
    double height = 0.4;  ///< of a capital letter's square (the em), world units
    double depth = 0.05;
    double bevel = 0;  ///< of the front's edges, across and deep; less where strokes are too thin for it

    static constexpr const char *word = "label", *label = "Label", *plural = "labels", *icon = "type";
    static constexpr std::array<Field<Label>, 3> fields{
        {{"height", "Size", FieldUnit::world, smallestSize, largestSize, &Label::height},
         {"depth", "Depth", FieldUnit::world, 0, largestSize, &Label::depth},
         {"bevel", "Bevel", FieldUnit::world, 0, largestSize, &Label::bevel}}};
    static constexpr std::array<TextField<Label>, 2> texts{
        {{"text", "Text", TextUse::words, &Label::words}, {"font", "Font", TextUse::font, &Label::font}}};

    [[nodiscard]] Shape shape() const { return textSolid(words, font, height, depth, bevel).shape; }
};

}  // namespace va
