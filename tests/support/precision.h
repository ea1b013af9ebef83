// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <functional>
#include <string>

namespace va::test {

inline constexpr int precisionWidth = 640, precisionHeight = 480;

/// How well features are tracked to frame 60 of a photo's plane that is moved by a known map and seen under noise of 2
/// grey levels, in units of the Cramér–Rao bound.
struct Precision {
    double ratio = 0;       ///< RMS of errors in units of the bound
    double normalised = 0;  ///< mean squared error over the stated covariance, an axis
    int started = 0, lost = 0;
    double rmsPx = 0;
};

/// `move(t)`, t in 0..1, takes the first frame's pixels to those of the frame at t.
Precision measurePrecision(const std::string& photo, const std::function<Eigen::Matrix3d(double t)>& move);

}  // namespace va::test
