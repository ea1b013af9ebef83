// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "base/frame_range.h"

namespace va {

/// Where a feature was seen in one frame.
struct PathPoint {
    int frame = 0;
    double x = 0, y = 0;              ///< px, (0, 0) = centre of the top-left pixel
    float quality = 1;                ///< correlation with the reference patch after registration, 0..1
    float sxx = 0, sxy = 0, syy = 0;  ///< covariance of (x, y), px²
    uint16_t chain = 0;               ///< how many times the reference had been re-taken before this point
};

enum class PathOrigin : uint8_t { automatic, byHand };

/// What a feature leaves behind: its 2D positions over frames, in rising frame order.
struct Path {
    int id = 0;
    std::string name;
    PathOrigin origin = PathOrigin::automatic;
    bool setAside = false;  ///< pruned: kept, shown faintly, not used
    std::string setAsideReason;
    int referenceFrame = 0;  ///< frame of the first reference patch
    std::vector<PathPoint> points;

    [[nodiscard]] const PathPoint* at(int frame) const;
    [[nodiscard]] FrameRange frames() const {
        return points.empty() ? FrameRange{} : FrameRange{points.front().frame, points.back().frame};
    }
};

inline const PathPoint* Path::at(int frame) const {
    const auto it =
        std::lower_bound(points.begin(), points.end(), frame, [](const PathPoint& p, int f) { return p.frame < f; });
    return it != points.end() && it->frame == frame ? &*it : nullptr;
}

}  // namespace va
