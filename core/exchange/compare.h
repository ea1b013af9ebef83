// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "exchange/foreign_export.h"

namespace va {

/// How far two cameras over the same plate are from each other.
struct CameraComparison {
    struct Frame {
        int frame = 0;
        double largestPx = 0, rmsPx = 0;  ///< of places in the picture, B against A
        double turnDeg = 0;               ///< between their rotations
        double focalPercent = 0;          ///< of B against A
        double away = 0;                  ///< between their positions, units of A
    };
    Similarity aFromB;          ///< that brings B's world nearest to A's
    std::vector<Frame> frames;  ///< those that both have
    int onlyA = 0, onlyB = 0;   ///< frames that the other does not have
    double largestPx = 0, rmsPx = 0;
    int worstFrame = 0;
    bool pathsTell = true;  ///< false: the camera stands, so that scale and place can't be told; rotations are compared
    std::string sentence;   ///< for the artist
};

/// Compares B with A after the similarity that brings B's cameras nearest to A's: the rotation is the mean of those
/// between the cameras (chordal mean: Markley et al., JGCD 2007), scale and translation least squares on positions.
/// Then places that A sees (its points, else a grid in the picture at the distance of the path's size) are projected
/// through both. Throws InputError where they have no frame in common or are of different sizes.
CameraComparison compareCameras(const SceneExport& a, const SceneExport& b);

/// The cameras of two files, by their own words: what one of them does not say of distortion is left out of both, and
/// said. `choices` holds what both lack.
CameraComparison compareScenes(const ForeignScene& a, const ForeignScene& b, const ForeignChoices& choices);

/// The comparison as a table, a line a frame, with a header: for an editor.
std::string comparisonTable(const CameraComparison& c);

}  // namespace va
