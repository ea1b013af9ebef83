// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <array>
#include <vector>

namespace va {

/// A mark of a chart as it was found: its position, and the two directions in which its neighbours should lie.
struct ChartMark {
    Eigen::Vector2d pixel = Eigen::Vector2d::Zero();
    std::array<Eigen::Vector2d, 2> along{Eigen::Vector2d::Zero(),
                                         Eigen::Vector2d::Zero()};  ///< unit vectors; the sign has no meaning
    /// Neighbours of a checkerboard's corner have the other sign (which of the sectors is dark); 0 = no such thing.
    int sign = 0;
};

/// A mark with its position in the chart's grid.
struct ChartCorner {
    int column = 0, row = 0;
    Eigen::Vector2d pixel = Eigen::Vector2d::Zero();
};

/// The largest set of marks that lie on a grid: neighbours are joined along the marks' directions where both agree, and
/// a mark gets its column and row from where it hangs. Perspective and lens may distort the grid, as long as a cell is
/// like its neighbour. Columns and rows start at 0; marks may be missing. Empty where fewer than 3 × 3 are connected.
std::vector<ChartCorner> gridOf(const std::vector<ChartMark>& marks);

}  // namespace va
