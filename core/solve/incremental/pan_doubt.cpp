// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/pan_doubt.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/parallel.h"
#include "solve/incremental/model_choice.h"
#include "solve/incremental/thresholds.h"

namespace va {
namespace {

RotationSolve rotationWith(const SolveQuestion& q, const std::vector<FrameIndex>& frames, const Intrinsics& lens,
                           const std::vector<LensValue>& values, const std::vector<BundleOptions::Prior>& priors) {
    return solveRotationOnly(q.observations, frames, lens, values, priors, q.request.seed);
}

double errorOf(const RotationSolve& r) { return r.found ? r.robustRmsPx : 1e9; }

RotationSolve offCentre(const SolveQuestion& q, const std::vector<FrameIndex>& frames, const Intrinsics& lens) {
    std::vector<LensValue> values = q.lensValues();
    values.push_back(LensValue::principalX), values.push_back(LensValue::principalY);
    std::vector<BundleOptions::Prior> priors = q.priors();
    // A corner of a picture that was twice as wide has it in its own corner.
    const double sigma = 0.3 * q.request.width;
    priors.push_back({0, LensValue::principalX, lens.principalPoint.x(), sigma});
    priors.push_back({0, LensValue::principalY, lens.principalPoint.y(), sigma});
    return rotationWith(q, frames, lens, values, priors);
}

/// Least squared error by the parabola through three of them, over x; negative where it opens downwards.
double lowestOf(const std::array<double, 3>& x, const std::array<double, 3>& error) {
    std::array<double, 3> y{};
    for (size_t i = 0; i < 3; ++i) y[i] = error[i] * error[i];
    const double left = (y[1] - y[0]) / (x[1] - x[0]), right = (y[2] - y[1]) / (x[2] - x[1]);
    const double bend = (right - left) / (x[2] - x[0]);
    if (!(bend > 0)) return -1;
    const double slope = left + bend * (x[1] - x[0]);  // in the middle
    return y[1] - slope * slope / (4 * bend);
}

/// The squeeze that explains the paths best. An answer above `enough` px is of no use: where it is plain that none
/// comes near, the search ends early.
RotationSolve squeezed(const SolveQuestion& q, const std::vector<FrameIndex>& frames, const Intrinsics& lens,
                       double enough) {
    const auto with = [&](double aspect) {
        Intrinsics other = lens;
        other.pixelAspect *= aspect;
        return rotationWith(q, frames, other, q.lensValues(), q.priors());
    };
    constexpr std::array<double, 7> shares{0.5, 0.66, 0.8, 1.0, 1.25, 1.5, 2.0};
    std::array<RotationSolve, shares.size()> coarse;
    parallelRanges(int(shares.size()), 1, [&](int begin, int end) {
        for (auto i = size_t(begin); i < size_t(end); ++i) coarse[i] = with(shares[i]);
    });
    const auto best = size_t(
        std::min_element(coarse.begin(), coarse.end(),
                         [](const RotationSolve& a, const RotationSolve& b) { return errorOf(a) < errorOf(b); }) -
        coarse.begin());
    if (best > 0 && best + 1 < shares.size()) {
        const double lowest = lowestOf({std::log(shares[best - 1]), std::log(shares[best]), std::log(shares[best + 1])},
                                       {errorOf(coarse[best - 1]), errorOf(coarse[best]), errorOf(coarse[best + 1])});
        if (lowest > 1.5 * enough * enough) return std::move(coarse[best]);
    }
    // Golden-section search between its neighbours, over the logarithm (Kiefer, Proc. AMS 4, 1953).
    double low = std::log(shares[best > 0 ? best - 1 : 0]),
           high = std::log(shares[std::min(best + 1, shares.size() - 1)]);
    constexpr double golden = 0.6180339887;
    double a = high - golden * (high - low), b = low + golden * (high - low);
    RotationSolve atA = with(std::exp(a)), atB = with(std::exp(b));
    for (int round = 0; round < 7; ++round) {
        if (errorOf(atA) < errorOf(atB)) {
            high = b, b = a, atB = std::move(atA);
            a = high - golden * (high - low), atA = with(std::exp(a));
        } else {
            low = a, a = b, atA = std::move(atB);
            b = low + golden * (high - low), atB = with(std::exp(b));
        }
    }
    return errorOf(atA) < errorOf(atB) ? atA : atB;
}

}  // namespace

std::optional<PanFound> panByOtherLens(const SolveQuestion& q, const std::vector<FrameIndex>& frames,
                                       const RotationSolve& asIs, double freeRmsPx) {
    if (!(freeRmsPx > 0) || frames.size() < 2) return std::nullopt;
    const bool noisy = freeRmsPx > q.scaledPx(limits::noisyFit);
    const Intrinsics& lens = q.lens;
    // The paths' own scatter, an axis.
    const double variance = freeRmsPx * freeRmsPx / 2;
    if (freeRmsPx > q.scaledPx(limits::noisyZoom) && q.mayZoom()) {
        RotationSolve zooming =
            solveRotationOnly(q.observations, frames, lens, q.lensValues(), q.priors(), q.request.seed, true);
        if (zooming.found && isNodalPan(q.observations, zooming, variance))
            return PanFound{std::move(zooming), PanCause::noise};
    }
    RotationSolve pan = asIs;
    if (!pan.found && noisy) pan = rotationWith(q, frames, lens, q.lensValues(), q.priors());
    if (!pan.found || pan.robustRmsPx > limits::nearlyPan * std::max(freeRmsPx, q.scaledPx(0.15))) return std::nullopt;
    if (noisy && isNodalPan(q.observations, pan, variance)) return PanFound{std::move(pan), PanCause::noise};
    const double enough = limits::panGain * pan.robustRmsPx;
    // Both make up a little for what the other one is: the closer one counts.
    std::vector<PanFound> others;
    if (q.request.principal != Known::known || q.request.principalOffset.isZero())
        others.push_back({offCentre(q, frames, lens), PanCause::offCentre});
    others.push_back({squeezed(q, frames, lens, enough), PanCause::squeeze});
    PanFound& best = *std::min_element(others.begin(), others.end(), [](const PanFound& a, const PanFound& b) {
        return errorOf(a.rotation) < errorOf(b.rotation);
    });
    if (errorOf(best.rotation) < enough && isNodalPan(q.observations, best.rotation, variance)) return std::move(best);
    return std::nullopt;
}

}  // namespace va
