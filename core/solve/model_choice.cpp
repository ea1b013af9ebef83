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

}  // namespace

MotionEvidence chooseMotion(const Sightings& s, const std::vector<int>& keyframes, const Intrinsics& lens,
                            const std::vector<LensValue>& solved, const std::vector<BundleOptions::Prior>& priors,
                            uint64_t seed) {
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
    std::vector<double> errors;
    double points = 0;
    for (int p = 0; p < s.pathCount(); ++p) points += out.rotation.directions[size_t(p)].squaredNorm() > 0;
    std::vector<double> variances;
    for (size_t k = 0; k < out.rotation.frames.size(); ++k)
        for (int i : s.byFrame[size_t(out.rotation.frames[k])]) {
            const PathSighting& seen = s.all[size_t(i)];
            if (s.heldBack[size_t(seen.path)]) continue;
            variances.push_back(2 / seen.whiten.squaredNorm());
            const auto pixel = project(View{out.rotation.rotations[k], Eigen::Vector3d::Zero()}, out.rotation.lens,
                                       out.rotation.directions[size_t(seen.path)]);
            errors.push_back(pixel ? (*pixel - seen.pixel).squaredNorm() : 1e6);
        }
    // Stated covariances are for one registration; sliding and rolling of texture come on top. A tenth of a pixel in
    // each axis at 1280 px is what good following shows.
    const double unit = std::max(0.7, s.width / 1280.0);
    const double variance = median(variances) + std::pow(0.12 * unit, 2);
    std::vector<double> granted(errors.size(), 2 * variance);
    const double views = double(out.rotation.frames.size() - 1);
    const double turning = gric(errors, variance, 2, points, 3 * views);
    const double free = gric(granted, variance, 3, points, 6 * views);
    const bool turns = turning < free || (out.rotation.robustRmsPx < 0.3 * unit && out.rotation.upperPx < 1.0 * unit);
    if (turns) out.motion = Motion::rotation;
    return out;
}

}  // namespace va
