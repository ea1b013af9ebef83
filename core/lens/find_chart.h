// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "base/plane.h"
#include "lens/chart_grid.h"

namespace va {

enum class ChartKind { checkerboard, dots };

/// A flat calibration chart as one still shows it.
struct FoundChart {
    ChartKind kind = ChartKind::checkerboard;
    std::vector<ChartCorner> corners;  ///< inner corners of the squares, or middles of the dots; empty = not found
    int columns = 0, rows = 0;         ///< of what was found
    std::string trouble;               ///< a sentence when nothing was found
};

/// Finds a checkerboard or a grid of dots of any size in a still, with positions to a few hundredths of a pixel.
///
/// Corners: saddles of the blurred picture (determinant of the Hessian) around which a ring changes between dark and
/// light four times; placed where the gradients around point past (Förstner & Gülch 1987). Dots: dark or light spots of
/// round outline against their surroundings, placed at their centre of weight. Both are then hung into a grid.
///
/// Assumes squares or dots of at least about eight pixels, and a chart that fills a fair part of the frame. Part of a
/// chart does. A dot's centre of weight lies off the true middle where the chart is seen at a slant, by about
/// (radius/distance)² of its radius: use corners where it matters.
FoundChart findChart(const Luma& picture);

}  // namespace va
