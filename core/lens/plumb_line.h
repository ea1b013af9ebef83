// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <span>
#include <string>
#include <vector>

#include "base/progress.h"
#include "lens/lens_numbers.h"

namespace va {

/// How straight the points of an edge are, as px of the plate.
struct Straightness {
    double before = 0;  ///< RMS distance from the best straight line in the plate
    double after = 0;   ///< the same with the lens's distortion taken out: distance from the best line, distorted
};

/// Straightness of points under a lens. Less than three points, or points that the lens can't undistort, are 0 after.
Straightness straightnessOf(std::span<const Eigen::Vector2d> pixels, const Intrinsics& lens);

struct PlumbLineOptions {
    LensKind kind = LensKind::brownConrady;
    /// Numbers of the model that are solved, by index; empty = as many of the first as the edges tell: Brown–Conrady's
    /// k1 and k2, the division's one, a fisheye's k1 and k2, an anamorphic lens's second-order terms and then more.
    std::vector<int> values;
    bool principalPoint = false;  ///< solved as well; needs strong distortion and edges on all sides
    bool trustAll = false;        ///< the artist chose the edges: none is set aside as curved in the world
};

/// What straight edges tell about a lens.
struct PlumbLineResult {
    std::string trouble;  ///< a sentence where there is no result; then the rest is empty
    Intrinsics lens;      ///< focal length as given: edges do not tell it
    double rmsPx = 0;     ///< over the edges used: distance from straight, px of the plate
    struct Edge {
        Straightness straightness;
        bool used = true;  ///< else it is curved in the world
    };
    std::vector<Edge> edges;              ///< in the order given
    std::vector<LensNumber> uncertainty;  ///< of every solved number
    /// Expected error of the undistortion map at its worst position in the frame, px, from the uncertainty. The map
    /// counts up to a change of focal length.
    double mapSigmaPx = 0;
    std::vector<std::string> warnings;
};

/// Distortion from the images of straight things (Brown, "Close-range camera calibration", 1971; Devernay & Faugeras,
/// "Straight lines have to be straight", 2001).
///
/// Each edge is a straight line in the undistorted picture, distorted by the lens; all lines and the lens's numbers are
/// improved together until the distorted lines pass nearest to the edges' points, across, in px of the plate
/// (Gauss–Newton with the lines taken out). Measuring in the plate and not in the undistorted picture matters: there a
/// lens that shrinks everything would look straight. The start comes from a scan over the strength of the distortion
/// in which every edge has a bounded vote, so that things that are curved in the world do not win; what stays curved is
/// set aside.
///
/// `start` gives focal length, pixel aspect and principal point; its distortion does not matter. Assumes that all edges
/// are of one lens; they may come from several frames. Without at least two edges that distortion or are long enough to
/// tell, there is a `trouble`. Throws Cancelled.
PlumbLineResult lensFromEdges(const std::vector<std::vector<Eigen::Vector2d>>& edges, int width, int height,
                              const Intrinsics& start, const PlumbLineOptions& options, Progress& progress);

}  // namespace va
