// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <map>
#include <string>
#include <vector>

#include "solve/camera.h"
#include "track/path.h"

namespace va::test {

/// True cameras and lens of a demo clip.
struct TrueCameras {
    Intrinsics lens;               ///< of the last frame
    std::map<int, View> views;     ///< by frame number
    std::map<int, double> focals;  ///< px, by frame number: those of a zoom differ
    [[nodiscard]] Intrinsics lensAt(int frame) const;
};
TrueCameras readTrueCameras(const std::string& truthFile);

/// How a path lies off the true motion of its surface point.
struct PathError {
    int id = 0;
    int frames = 0;
    double slowPx =
        0;  ///< RMS of the offset's running mean over 20 frames, an axis; points count by their stated covariance
    double quickPx = 0;     ///< RMS of the rest, an axis
    double normalised = 0;  ///< mean squared offset over the stated covariance, an axis
    double depth = 0;
    std::map<int, Eigen::Vector2d> offsets;  ///< path − truth, px, by frame
};

/// The surface point lies on the true camera's ray through the path in its reference frame; its depth is the one that
/// agrees best with the rest of the path (least squares over one unknown), so that an error along the epipolar line
/// that looks like another depth is not seen. Everything else the path does is its error. Only points that `counts`
/// accepts are taken (empty: all); paths with fewer than `least` of them are left out. The reference ray is that of the
/// first one.
std::vector<PathError> pathErrors(const std::vector<Path>& paths, const TrueCameras& truth, int least,
                                  const std::function<bool(const Path&, const PathPoint&)>& counts = {});

}  // namespace va::test
