// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <utility>
#include <vector>

namespace va::test {

/// A minimal solver with its sampling against the same of OpenCV, on the same random sets: a hundred points with noise
/// of half a pixel at a focal length of a thousand, three in ten of them anywhere (triangulation: none).
struct GeometryTrial {
    std::string name;
    std::string errorUnit;
    double ours = 0, theirs = 0;                ///< median error over the sets
    double oursWorst = 0, theirsWorst = 0;      ///< nineteen of twenty sets are below
    double oursSeconds = 0, theirsSeconds = 0;  ///< over all sets
    int oursFailed = 0, theirsFailed = 0;
};

/// Homography, essential matrix with pose, resection, triangulation.
std::vector<GeometryTrial> geometryTrials(int sets, unsigned seed);

/// The photo match from eight known points with half a pixel of noise, against OpenCV's SQPNP with refinement on the
/// same draws: root mean square errors of the position, m. Infinite where a match finds none.
std::pair<double, double> photoResectionErrors(int trials, unsigned seed);

}  // namespace va::test
