// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/frame_range.h"
#include "base/shared_vector.h"

namespace va {

/// How a point of a path came about.
enum class PointOrigin : uint8_t {
    tracked,     ///< registered against a reference patch
    byHand,      ///< put there by the artist: never moved by the program
    carried,     ///< taken along by neighbours while the spot itself was hidden
    foundAgain,  ///< registered where the solve said it would be
};

/// Where a feature was seen in one frame.
struct PathPoint {
    int frame = 0;
    double x = 0, y = 0;              ///< px, (0, 0) = centre of the top-left pixel
    float quality = 1;                ///< correlation with the reference patch after registration, 0..1
    float sxx = 0, sxy = 0, syy = 0;  ///< covariance of (x, y), px²
    uint16_t chain = 0;               ///< how many times the reference had been re-taken before this point
    float drift = 0;                  ///< px, one sigma an axis: the part of the error that neighbouring frames share
    PointOrigin origin = PointOrigin::tracked;
    bool aside = false;   ///< this frame of the path is set aside
    bool masked = false;  ///< a mask covers it now; comes back when the mask goes
    /// Where it lies depends on damaged pictures: its covariance was raised until a solve tells whether it can be used.
    bool doubtful = false;

    [[nodiscard]] bool counts() const { return !aside && !masked; }
};

enum class PathOrigin : uint8_t { automatic, byHand };

/// What the patch may do from frame to frame besides shifting.
enum class MotionModel : uint8_t { translation, similarity, affine };

/// What the patch tells of itself, averaged over the path's frames.
struct PatchEvidence {
    /// Variance of the position as the patch's parts scatter, over what noise explains; 1 = one surface, large = two
    /// surfaces, a highlight, a shadow's edge.
    float varianceInflation = 1;
    /// Weaker over stronger sigma direction of the position, 0..1: near 0 the patch slides along an edge.
    float anisotropy = 1;
};

/// What a feature leaves behind: its 2D positions over frames, in rising frame order.
struct Path {
    int id = 0;
    std::string name;
    PathOrigin origin = PathOrigin::automatic;
    bool setAside = false;  ///< pruned: kept, shown faintly, not used
    std::string setAsideReason;
    int referenceFrame = 0;  ///< frame of the first reference patch
    int mover = 0;           ///< the rigid thing that it belongs to; 0 = the scene
    MotionModel model = MotionModel::affine;
    int radius = 0;        ///< px, half size of the patch; 0 = the program's choice for the picture
    int searchRadius = 0;  ///< px around the prediction that is searched; 0 = the program's choice
    PatchEvidence evidence;
    SharedVector<PathPoint> points;  ///< copies of a path share them until one is edited

    [[nodiscard]] const PathPoint* at(int frame) const;
    [[nodiscard]] PathPoint* at(int frame);
    [[nodiscard]] FrameRange frames() const {
        return points.empty() ? FrameRange{} : FrameRange{points.front().frame, points.back().frame};
    }
    /// Largest drift over the path's frames, px.
    [[nodiscard]] float drift() const;
    /// Mean match quality; 0 for an empty path.
    [[nodiscard]] double meanQuality() const;
    /// Puts a point in its place, replacing the one of its frame.
    void put(const PathPoint& point);
};

inline const PathPoint* Path::at(int frame) const {
    const auto it =
        std::lower_bound(points.begin(), points.end(), frame, [](const PathPoint& p, int f) { return p.frame < f; });
    return it != points.end() && it->frame == frame ? &*it : nullptr;
}
inline PathPoint* Path::at(int frame) {
    const PathPoint* found = std::as_const(*this).at(frame);
    if (!found) return nullptr;
    const std::ptrdiff_t index = found - points.values().data();
    return &points[size_t(index)];
}

inline float Path::drift() const {
    float most = 0;
    for (const PathPoint& p : points) most = std::max(most, p.drift);
    return most;
}

inline double Path::meanQuality() const {
    double sum = 0;
    for (const PathPoint& p : points) sum += double(p.quality);
    return points.empty() ? 0 : sum / double(points.size());
}

inline void Path::put(const PathPoint& point) {
    const auto it = std::lower_bound(points.begin(), points.end(), point.frame,
                                     [](const PathPoint& p, int f) { return p.frame < f; });
    if (it != points.end() && it->frame == point.frame) *it = point;
    else points.insert(it, point);
}

}  // namespace va
