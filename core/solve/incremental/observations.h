// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <cstdint>
#include <vector>

#include "solve/incremental/frame_index.h"
#include "track/path.h"

namespace va {

/// One path in one frame, as the solve sees it.
struct PathObservation {
    int path = 0;  ///< index into Observations::pathIds
    FrameIndex frame;
    Eigen::Vector2d pixel = Eigen::Vector2d::Zero();
    Eigen::Matrix2d sqrtInformation = Eigen::Matrix2d::Identity();  ///< inverse square root of the covariance, 1/px
    bool use = true;                                                ///< false: set aside by the solve as an outlier
};

/// The paths of a shot laid out for solving: by frame and by path.
struct Observations {
    int width = 0, height = 0;
    std::vector<int> frames;                  ///< the plate's frame numbers in order
    std::vector<int> pathIds;                 ///< Path::id
    std::vector<char> heldBack;               ///< one a path: kept out of the solve to measure the check error
    std::vector<PathObservation> all;         ///< sorted by path, then frame
    ByFrame<std::vector<int>> byFrame;        ///< indices into `all`
    std::vector<std::pair<int, int>> ofPath;  ///< begin and end in `all`

    /// How many paths a step of the solve asks for: a thing that moves by itself has fewer than a scene.
    struct Fewest {
        int shared = 24;  ///< by a pair of frames to start from
        int placed = 12;  ///< to begin
        int seen = 8;     ///< by a frame to be fitted to them
    } fewest;

    [[nodiscard]] int frameCount() const { return int(frames.size()); }
    [[nodiscard]] FrameIndices indices() const { return FrameIndices(frameCount()); }
    /// The plate's number of a frame.
    [[nodiscard]] int number(FrameIndex frame) const { return frames[size_t(frame)]; }
    [[nodiscard]] int pathCount() const { return int(pathIds.size()); }
    /// Index of the path's observation in the frame, or −1.
    [[nodiscard]] int find(int path, FrameIndex frame) const;
    /// Pairs of observations of one path in two frames; held-back paths are left out.
    [[nodiscard]] std::vector<std::pair<int, int>> shared(FrameIndex frameA, FrameIndex frameB) const;
};

/// Lays out what is not set aside and lies in `frames`. About `heldBackShare` of the paths with at least eight
/// observations are held back, chosen by a seeded draw among neighbours in the picture, so that they cover the frame as
/// the others do.
Observations layOut(const std::vector<Path>& paths, const std::vector<int>& frames, int width, int height,
                    double heldBackShare, uint64_t seed);

/// Inverse square root of an observation's covariance, 1/px; a tenth of a pixel where it states none.
Eigen::Matrix2d sqrtInformationOf(const PathPoint& point);

/// Median of a copy of the values; 0 for none.
double median(std::vector<double> values);

}  // namespace va
