// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/model_choice.h"

#include <algorithm>
#include <cmath>

namespace va {
namespace {

/// GRIC = Σ min(e²/σ², 2 (r − d)) + λ1 d n + λ2 k for two-dimensional errors (r = 2 a sighting).
double gric(const std::vector<double>& squaredErrors, double variance, double pointNumbers, double points,
            double viewNumbers) {
    const double n = double(squaredErrors.size());
    double sum = 0;
    for (double e : squaredErrors) sum += std::min(e / variance, 6.0);
    return sum + std::log(2.0) * pointNumbers * points + std::log(2 * n) * viewNumbers;
}

/// Whether a rotation-only solve explains what is seen.
bool turnsOnly(const Sightings& s, const RotationSolve& r) {
    std::vector<double> errors, variances;
    double points = 0;
    for (int p = 0; p < s.pathCount(); ++p) points += r.directions[size_t(p)].squaredNorm() > 0;
    for (size_t k = 0; k < r.frames.size(); ++k)
        for (int i : s.byFrame[size_t(r.frames[k])]) {
            const PathSighting& seen = s.all[size_t(i)];
            if (s.heldBack[size_t(seen.path)]) continue;
            variances.push_back(2 / seen.whiten.squaredNorm());
            const auto pixel =
                project(View{r.rotations[k], Eigen::Vector3d::Zero()}, r.lensOf(k), r.directions[size_t(seen.path)]);
            errors.push_back(pixel ? (*pixel - seen.pixel).squaredNorm() : 1e6);
        }
    // Stated covariances are for one registration; sliding and rolling of texture come on top. A tenth of a pixel in
    // each axis at 1280 px is what good following shows.
    const double unit = std::max(0.7, s.width / 1280.0);
    const double variance = median(variances) + std::pow(0.12 * unit, 2);
    const std::vector<double> granted(errors.size(), 2 * variance);
    const double views = double(r.frames.size() - 1), zoom = r.focals.empty() ? 0 : views;
    const double turning = gric(errors, variance, 2, points, 3 * views + zoom);
    const double free = gric(granted, variance, 3, points, 6 * views + zoom);
    return turning < free || (r.robustRmsPx < 0.3 * unit && r.upperPx < 1.0 * unit);
}

}  // namespace

MotionEvidence chooseMotion(const Sightings& s, const std::vector<int>& keyframes, const Intrinsics& lens,
                            const std::vector<LensValue>& solved, const std::vector<BundleOptions::Prior>& priors,
                            uint64_t seed, bool mayZoom) {
    MotionEvidence out;
    std::vector<double> moves;
    for (const auto& [begin, end] : s.ofPath) {
        double far = 0;
        for (int i = begin; i < end; ++i)
            far = std::max(far, (s.all[size_t(i)].pixel - s.all[size_t(begin)].pixel).norm());
        moves.push_back(far);
    }
    if (moves.empty()) return out;
    std::sort(moves.begin(), moves.end());
    out.largestMovePx = moves[moves.size() * 9 / 10];
    if (out.largestMovePx < 0.5) {
        out.motion = Motion::fixed;
        return out;
    }
    // A bundle over every keyframe of a long shot is not needed to see parallax: thirty frames over the whole length
    // do.
    std::vector<int> frames;
    const size_t step = std::max<size_t>(1, (keyframes.size() + 29) / 30);
    for (size_t i = 0; i < keyframes.size(); i += step) frames.push_back(keyframes[i]);
    out.rotation = solveRotationOnly(s, frames, lens, solved, priors, seed);
    out.motion = Motion::free;
    if (!out.rotation.found) return out;
    if (turnsOnly(s, out.rotation)) {
        out.motion = Motion::rotation;
    } else if (mayZoom) {
        RotationSolve zooming = solveRotationOnly(s, frames, out.rotation.lens, solved, priors, seed, true);
        if (zooming.found && turnsOnly(s, zooming)) {
            out.motion = Motion::rotation;
            out.rotation = std::move(zooming);
        }
    }
    return out;
}

}  // namespace va
