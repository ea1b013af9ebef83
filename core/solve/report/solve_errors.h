// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "solve/solve_result.h"
#include "track/path.h"

namespace va {

/// How far one observation lies from where the solve puts its point.
struct SolveError {
    int pathId = 0, frame = 0;
    Eigen::Vector2d pixel = Eigen::Vector2d::Zero();  ///< of the observation
    Eigen::Vector2d off = Eigen::Vector2d::Zero();    ///< solve's position less the observation's, px
    bool heldBack = false;
    bool used = true;  ///< false: the solve set the observation aside
};

/// The errors of all observations of solved points in solved frames, by path and frame. Empty without points.
std::vector<SolveError> solveErrors(const SolveResult& solve, const std::vector<Path>& paths);

/// Mean error over the frame, by cells. Noise averages out; what is left has a direction that goes with the position,
/// as a lens that is described wrongly has.
struct ErrorMap {
    int columns = 0, rows = 0;
    struct Cell {
        Eigen::Vector2d mean = Eigen::Vector2d::Zero();  ///< px
        double sigma = 0;                                ///< of the mean, px: scatter of the paths' means
        int paths = 0;                                   ///< that pass through
    };
    std::vector<Cell> cells;  ///< row by row
    double meanPx = 0;        ///< root mean square of the cells' means
    /// The same over what chance would give: about 1 where the errors have no place, large where they have.
    double overChance = 0;
    [[nodiscard]] const Cell& at(int column, int row) const { return cells[size_t(row * columns + column)]; }
};

/// Cells with fewer than three paths stay empty. A path counts once a cell: its own errors go together.
ErrorMap errorMap(const std::vector<SolveError>& errors, int width, int height, int columns = 12, int rows = 7);

/// Frames that fit badly: their error is above twice the median frame's and 0.05 px, joined over gaps of one frame.
std::vector<FrameRange> badFrames(const SolveResult& solve);

/// Points of the solve by their error, worst first, held-back ones left out.
std::vector<SolvedPoint> worstPoints(const SolveResult& solve, size_t count);

}  // namespace va
