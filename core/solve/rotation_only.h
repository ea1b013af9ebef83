// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "solve/bundle.h"
#include "solve/sightings.h"

namespace va {

/// A camera that only turns: one place, a rotation a frame, points as directions.
struct RotationSolve {
    [[nodiscard]] Intrinsics lensOf(size_t k) const {
        Intrinsics out = lens;
        if (!focals.empty()) out.focalPx = focals[k];
        return out;
    }
    bool found = false;
    Intrinsics lens;
    std::vector<double> focals;               ///< px, one a frame, where the lens zooms; else empty
    std::vector<int> frames;                  ///< indices, as given
    std::vector<Eigen::Matrix3d> rotations;   ///< world to camera, vision convention, one a frame
    std::vector<Eigen::Vector3d> directions;  ///< unit, one a path; zero where the path was not seen in these frames
    double robustRmsPx = 0;                   ///< median error over that of a unit Rayleigh distribution
    double upperPx = 0;                       ///< 90th percentile of the error: what parallax would show in
};

/// Solves rotations over the given frames (indices, in order; neighbours must share paths). Rotations start from the
/// two-point fit of ray bundles between neighbours (Kabsch 1976, sampled), then all are bundled with the lens values in
/// `solved`. `lens` is the start; several focal lengths are tried when LensValue::focal is among them. A turn of less
/// than about two degrees does not determine the focal length: it then stays near the start.
RotationSolve solveRotationOnly(const Sightings& s, const std::vector<int>& frames, const Intrinsics& lens,
                                const std::vector<LensValue>& solved, const std::vector<BundleOptions::Prior>& priors,
                                uint64_t seed, bool zooms = false);

}  // namespace va
