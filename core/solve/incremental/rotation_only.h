// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <vector>

#include "solve/bundle/bundle.h"
#include "solve/incremental/observations.h"
#include "solve/rolling.h"

namespace va {

/// A camera that only turns: one place, a rotation a frame, points as directions.
struct RotationSolve {
    [[nodiscard]] Intrinsics lensOf(size_t k) const {
        Intrinsics out = lens;
        if (!focals.empty()) out.focalPx = focals[k];
        return out;
    }
    /// The view as it stood when the row of `pixel` was read.
    [[nodiscard]] View viewAt(size_t k, const Eigen::Vector2d& pixel) const {
        const View middle{rotations[k], Eigen::Vector3d::Zero()};
        return rates.empty() ? middle : viewAtRow(middle, rates[k], readout, pixel.y(), height);
    }
    bool found = false;
    Intrinsics lens;
    std::vector<double> focals;               ///< px, one a frame, where the lens zooms; else empty
    std::vector<FrameIndex> frames;           ///< as given
    std::vector<Eigen::Matrix3d> rotations;   ///< world to camera, vision convention, one a frame
    std::vector<Eigen::Vector3d> directions;  ///< unit, one a path; zero where the path was not seen in these frames
    double robustRmsPx = 0;                   ///< median error over that of a unit Rayleigh distribution
    double upperPx = 0;                       ///< 90th percentile of the error: what parallax would show in
    /// Rolling shutter, as in BundleProblem; without rates all are read at once.
    std::vector<ViewRate> rates;
    std::vector<size_t> measuredRates;  ///< those that the frames' own rows gave (end_rates.h)
    double readout = 0;
    double readoutSigma = -1;  ///< deviation of a solved one; negative where it was given
    int height = 0;
};

/// What is known of the rolling shutter.
struct RowReading {
    bool solves = false;  ///< the time is solved, from `readout`
    double readout = 0;   ///< frames from the first row's reading to the last one's
    bool looks = false;   ///< nothing is known: it is tried where the pictures speak for it
    [[nodiscard]] bool matters() const { return solves || readout != 0; }
};

/// Solves rotations over the given frames (in order; neighbours must share paths). Rotations start from the
/// two-point fit of ray bundles between neighbours (Kabsch 1976, sampled), then all are bundled with the lens values in
/// `solved`. `lens` is the start; several focal lengths are tried when LensValue::focal is among them. A nodal pan of
/// less than about two degrees does not determine the focal length: it then stays near the start.
RotationSolve solveRotationOnly(const Observations& s, const std::vector<FrameIndex>& frames, const Intrinsics& lens,
                                const std::vector<LensValue>& solved, const std::vector<BundleOptions::Prior>& priors,
                                uint64_t seed, bool zooms = false);

/// The same camera once more with a rolling shutter, from where `rotation` stands: turn and its rate
/// are taken from each other in turns until they agree. Frames should follow each other, since a frame's rate is that
/// of its neighbours. A camera that stands or turns evenly about one axis at no more than a few rows a frame does not
/// tell the time that is looked for: its deviation says so. Where rows are only looked for (RowReading::looks), it
/// gives `rotation` back if a first bundle with them does not bring the cost down by a fiftieth.
RotationSolve withRowsRead(const Observations& s, const RotationSolve& rotation, const std::vector<LensValue>& solved,
                           const std::vector<BundleOptions::Prior>& priors, const RowReading& rows);

/// Whether a read-out time that was looked for is one: more than a twentieth of a frame and four deviations, and no
/// longer than sensors take, which is a frame at most.
bool tellsReadout(double readout, double sigma);

/// The same camera once more from where `rotation` stands, with the lens: each path counts by how well it fits, so that
/// those that slide along edges distort neither the rotation nor the lens. Gives `rotation` back where fewer than
/// twenty paths are seen often enough to be weighed, where the bundle fails, and with a rolling shutter.
RotationSolve withPathsWeighed(const Observations& s, const RotationSolve& rotation,
                               const std::vector<LensValue>& solved, const std::vector<BundleOptions::Prior>& priors);

/// Variance of the lens values in `solved` by how far paths disagree (varianceByPaths), over sixty frames at most.
/// Nothing where there are too few paths.
std::optional<Eigen::VectorXd> lensVariance(const Observations& s, const RotationSolve& rotation,
                                            const std::vector<LensValue>& solved,
                                            const std::vector<BundleOptions::Prior>& priors);

}  // namespace va
