// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <vector>

#include "base/plane.h"
#include "base/progress.h"
#include "track/feature_tracker.h"
#include "track/path.h"

namespace va {

enum class Density : uint8_t { few, normal, many };
enum class Care : uint8_t { quick, careful };

struct TrackOptions {
    int features = 300;  ///< live features to hold over the frame
    int radius = 0;      ///< px of the reference patch's half size; 0 = from the picture's width (8 at 1280)
    double lowestQuality =
        0.9;                ///< correlation with the reference below which the reference is re-taken or the path ends
    int bridge = 6;         ///< frames that a feature may be hidden, blurred or dark
    int searchRadius = 0;   ///< px searched around the prediction when tracking fails
    double spacing = 0;     ///< px between features; 0 = from the patch's size
    int refillEvery = 4;    ///< frames between looking for new features
    double refillMove = 0;  ///< share of the width that the view must have moved before that; 0 = by frames alone
    bool backward = false;  ///< track every path backward from where it begins as well
    int shortestPath =
        5;  ///< frames: shorter paths are dropped at the end (in a clip shorter than that: paths over all of it stay)
};

/// few = 120, normal = 300, many = 700 live features. Careful searches farther, bridges longer, chooses the frames for
/// new features by how far the view moved, and tracks all of them backward too: several times the work.
TrackOptions trackOptions(Density density, Care care);

/// What to track, and where. Everything but `frames` and `read` may stay empty.
struct TrackRequest {
    std::vector<int> frames;  ///< frame numbers in order of tracking: rising, or falling to track backward
    /// Luma of a frame. May be called from another thread, one call at a time. InputError ends the call with it.
    std::function<Luma(int)> read;
    std::function<void(Luma)> giveBack;  ///< gets pictures that are used up, on the reading thread; may stay empty
    TrackOptions options;
    std::function<bool(int frame, double x, double y)> allowed;  ///< keeps features out of masks; empty = everywhere
    /// Where new features may be found, besides: their first picture has to be whole. Empty = everywhere.
    std::function<bool(int frame, double x, double y)> mayBegin;
    /// Paths that are there already: their spots count as taken, they are not tracked.
    const std::vector<Path>* standing = nullptr;
    /// Paths to be gone on with from where they end (in the order of `frames`).
    std::vector<Path> goOn;
    bool findNew = true;
    bool findInFirst = true;                      ///< look for new features in the first frame as well
    int firstId = 1;                              ///< for new paths
    std::function<void(int, const Luma&)> watch;  ///< sees every frame once, in order, on the reading thread
    std::vector<Path>* soFar = nullptr;           ///< on cancel: the paths up to there
};

/// Tracks features through a shot: found with quotas, tracked by FeatureTracker, re-filled as the view changes.
/// Gives the paths of `goOn` (longer now) and the new ones, by id. Progress advances once a frame (twice with
/// `backward`). Throws Cancelled.
///
/// A picture without texture gives no paths.
std::vector<Path> trackFeatures(TrackRequest request, Progress& progress);

/// Half size of the reference patch for a picture of this width.
int defaultPatchRadius(int pictureWidth);

/// Pyramid levels for a picture of this width: enough for moves of about a twentieth of it between frames.
int pyramidLevels(int pictureWidth);

}  // namespace va
