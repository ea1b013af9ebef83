// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <functional>
#include <vector>

#include "base/plane.h"
#include "track/pyramid.h"

namespace va {

/// A spot that can be tracked in both directions.
struct FoundFeature {
    int x = 0, y = 0;
    float strength = 0;  ///< smaller eigenvalue of the mean structure tensor, (grey levels / px)²
};

struct FindOptions {
    int count = 300;          ///< features wanted over the whole frame, together with `taken`
    int radius = 3;           ///< px: half size of the window that the structure tensor is averaged over
    int margin = 12;          ///< px to keep from the frame's edge
    double spacing = 12;      ///< px between features
    float weakest = 1.0f;     ///< (grey levels / px)²: below it a spot is taken for noise
    double relative = 0.004;  ///< share of the frame's 95th percentile of strength that a spot must reach as well
    /// Where features may lie; empty = everywhere.
    std::function<bool(int x, int y)> allowed;
};

/// Spots whose neighbourhood has texture in two directions: the smaller eigenvalue of the structure tensor (Shi &
/// Tomasi, "Good Features to Track", 1994), local maxima only. The frame is divided into cells and each cell is filled
/// up to its share, strongest first, so that features spread over the frame; `taken` are positions already occupied,
/// and count. What weak cells leave open goes to nobody: cover matters more than number. `picture` is level 0 of a
/// Pyramid. No texture gives an empty list.
std::vector<FoundFeature> findFeatures(const Luma& picture, const std::vector<Eigen::Vector2d>& taken,
                                       const FindOptions& options);
/// The same in pixels of level 0; in pictures wider than 1600 px found at half their size, which takes a quarter of the
/// time: patches grow with the picture, and what they hold on to does so too.
std::vector<FoundFeature> findFeatures(const Pyramid& picture, const std::vector<Eigen::Vector2d>& taken,
                                       const FindOptions& options);

}  // namespace va
