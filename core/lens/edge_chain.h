// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <vector>

#include "base/plane.h"

namespace va {

/// Points along the edge of something, in order, px of the plate. Between neighbours lie about three pixels.
struct EdgeChain {
    std::vector<Eigen::Vector2d> points;
    double contrast = 0;  ///< steepest slope of the luma across the edge, mean along it: levels of 255 a px

    [[nodiscard]] double length() const { return points.empty() ? 0 : (points.back() - points.front()).norm(); }
};

struct EdgeChainOptions {
    double shortest = 0.07;  ///< of the picture's diagonal
    int most = 120;          ///< chains: the longest are kept
};

/// Edges that could be straight things distorted by a lens: long, without corners, distorting one way and gently.
///
/// Edges are where the slope of the softened picture is steepest across (Canny, PAMI 1986), placed between pixels by a
/// parabola through the derivatives across (Devernay, "A non-maxima suppression method for edge detection with
/// sub-pixel accuracy", INRIA RR-2724, 1995). They are linked along their direction and cut where they leave a
/// parabola; pieces of one edge with something in front are joined where one parabola explains both.
///
/// What is found need not be straight in the world: a hull and a rope bend gently as well. Plumb lines sort that out.
/// A picture smaller than 32 pixels has none.
std::vector<EdgeChain> findEdgeChains(const Luma& picture, const EdgeChainOptions& options = {});

/// The edge that runs near a stroke drawn from `from` to `to`: the steepest way along it within a twelfth of its length
/// to either side (dynamic programming over a band, so that a distorted edge is tracked), then placed between pixels.
/// Fewer than 8 points where there is no edge to follow along most of the stroke.
EdgeChain edgeAlong(const Luma& picture, const Eigen::Vector2d& from, const Eigen::Vector2d& to);

}  // namespace va
