// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "base/progress.h"
#include "lens/chart_grid.h"
#include "solve/bundle/bundle.h"

namespace va {

/// One still of a chart.
struct ChartView {
    std::string name;  ///< for messages
    std::vector<ChartCorner> corners;
};

struct ChartOptions {
    LensKind kind = LensKind::brownConrady;
    /// Numbers of the model that are solved, by index; empty = Brown–Conrady's k1, k2, and k3 and p1, p2 where the
    /// chart tells them to three deviations, or all of another kind but an anamorphic lens's squeeze (which focal
    /// length and pixel aspect hold already).
    std::vector<int> values;
    bool principalPoint = true;  ///< solved; else it stays in the middle of the frame
    double pixelAspect = 1;
};

/// What a chart tells about a lens.
struct ChartCalibration {
    std::string trouble;  ///< a sentence where there is no result; then the rest is empty
    Intrinsics lens;
    int width = 0, height = 0;  ///< px of the stills
    double rmsPx = 0;           ///< root mean square distance over the corners used
    struct StillResult {
        std::string name;
        View view;         ///< board (columns, rows, 0) to camera, in cells
        double rmsPx = 0;  ///< over its corners, used or not
        int used = 0, corners = 0;
        bool aside = false;  ///< left out as a whole: its corners contradict the others
    };
    std::vector<StillResult> stills;
    struct Residual {
        int still = 0;
        Eigen::Vector2d pixel = Eigen::Vector2d::Zero(), error = Eigen::Vector2d::Zero();  ///< found, found − model; px
        bool used = true;
    };
    std::vector<Residual> residuals;
    double cover = 0;                     ///< share of the frame's 8 × 6 cells that hold a corner
    std::vector<LensNumber> uncertainty;  ///< of every solved number, from the covariance
    std::vector<std::string> warnings;    ///< sentences: too few stills, all frontal, poor cover, unsure numbers
};

/// Focal length, principal point and distortion from stills of a flat chart of any cell size.
///
/// Starts from each still's homography and the focal length that makes them views of one plane with square cells
/// (Zhang, "A flexible new technique for camera calibration", PAMI 2000, with the principal point in the middle); then
/// all is bundled with a robust loss, corners and stills that contradict are set aside, and bundled again without it.
/// Uncertainty is the inverse of the normal matrix with the stills' poses taken out, times the variance of the
/// residuals.
///
/// Assumes cells that are square in the world and one focal length for all stills. Less than two usable stills, or
/// stills that do not determine a focal length, give a `trouble`. Throws Cancelled.
ChartCalibration calibrateFromCharts(const std::vector<ChartView>& views, int width, int height,
                                     const ChartOptions& options, Progress& progress);

}  // namespace va
