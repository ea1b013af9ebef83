// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <vector>

#include "solve/bundle/bundle.h"
#include "solve/incremental/observations.h"
#include "solve/incremental/rotation_only.h"
#include "solve/solve_request.h"
#include "solve/solve_result.h"

namespace va {

/// What a solve is asked, laid out for its steps: the observations, the lens that is assumed to begin with, and which
/// of its values the paths are to tell. Pixels are the plate's; the request must outlive it.
struct SolveQuestion {
    SolveQuestion(const std::vector<Path>& paths, const SolveRequest& request);

    const SolveRequest& request;
    Observations observations;
    Intrinsics lens;
    /// The frames were found not to tell the distortion: it is asked for no longer.
    bool distortionRefused = false;

    /// Whether a measure of the request speaks of the path (an index).
    [[nodiscard]] bool measured(int path) const;
    [[nodiscard]] bool mayZoom() const;
    [[nodiscard]] bool distortionIsSolved() const { return request.distortion != Known::known && !distortionRefused; }
    [[nodiscard]] std::vector<LensValue> lensValues() const;
    /// The same as if the distortion was solved.
    [[nodiscard]] std::vector<LensValue> lensValuesWithDistortion() const;
    /// Weak opinions that only count where the paths are silent: they keep a short shot from an absurd lens.
    [[nodiscard]] std::vector<BundleOptions::Prior> priors() const;
    [[nodiscard]] RowReading rows() const;
    [[nodiscard]] Eigen::Vector2d lastPixel() const { return {request.width - 1.0, request.height - 1.0}; }
    /// `px` of a picture that is 1280 wide, in this one; smaller pictures are looked at no more closely.
    [[nodiscard]] double scaledPx(double px) const { return px * std::max(1.0, request.width / 1280.0); }
};

}  // namespace va
