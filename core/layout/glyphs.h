// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <string>
#include <vector>

#include "layout/shape.h"

namespace va {

/// Families of the fonts that this machine has, in alphabetical order. The one that comes with the program is always
/// there and is not among them.
std::vector<std::string> fontFamilies();

/// The outline of a text: closed contours, the inside on their left, without overlaps (nonzero winding). X runs along
/// the text from its first letter's origin, Y up from the base line; one em is 1. Lines of a text lie 1.2 em below
/// each other. Curves are cut finer than a two-thousandth of an em.
struct TextOutline {
    struct Glyph {
        std::vector<std::vector<Eigen::Vector2d>> contours;
    };
    std::vector<Glyph> glyphs;  ///< one a letter that has an outline
    std::string missing;        ///< letters that no font of this machine has, UTF-8; each is drawn as an empty box
    double width = 0;           ///< of the widest line
    int lines = 0;
};
/// `family` empty = the font that comes with the program. Letters that the family has not are taken from another font
/// of this machine. Not shaped: letters stand side by side from left to right, with the font's own kerning table.
TextOutline outlineOfText(const std::string& words, const std::string& family);

/// The text as a closed solid, faces outward: the outline's back in the plane Z = 0, its front at `depth`, the middle
/// of its width at X = 0. The front's edges are cut off by `bevel` across and deep. Where a stroke is too thin for it,
/// that letter's bevel is as wide as it can be.
struct TextSolid {
    Shape shape;
    double area = 0;      ///< of the outline
    double bevelled = 0;  ///< the narrowest bevel among its letters
};
TextSolid textSolid(const std::string& words, const std::string& family, double em, double depth, double bevel);

/// What is wrong with a text, as a sentence; empty when nothing is.
std::string textTrouble(const std::string& words, const std::string& family);

}  // namespace va
