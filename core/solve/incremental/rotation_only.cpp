// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/rotation_only.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "base/parallel.h"
#include "base/svd3.h"
#include "lens/convert_lens.h"
#include "solve/incremental/end_rates.h"
#include "solve/incremental/lens_certainty.h"
#include "solve/incremental/thresholds.h"
#include "solve/minimal/robust_sampling.h"

namespace va {
namespace {

using Rays = std::vector<Eigen::Vector3d>;

Eigen::Matrix3d rotationBetween(const Rays& a, const Rays& b, const std::vector<int>& use) {
    Eigen::Matrix3d h = Eigen::Matrix3d::Zero();
    for (int i : use) h += b[size_t(i)] * a[size_t(i)].transpose();
    return nearestRotation(h);
}

struct FrameRotation {
    Eigen::Matrix3d rotation;
    double focalPx = 0, cost = 0;
};

/// The rotation between two frames of which the first has the focal length `focal`; the second has the same, or what
/// agrees with most.
std::optional<FrameRotation> rotationBetween(const Observations& s, const std::vector<std::pair<int, int>>& pairs,
                                             const Intrinsics& lens, double focal, bool zooms, uint64_t seed) {
    std::vector<double> shares{1.0};
    if (zooms)
        for (const double share : {0.985, 1.015, 0.97, 1.03, 0.95, 1.05, 0.92, 1.08, 0.87, 1.13, 0.8, 1.22})
            shares.push_back(share);
    std::optional<FrameRotation> best;
    for (const double share : shares) {
        Intrinsics first = lens, second = lens;
        first.focalPx = focal;
        second.focalPx = focal * share;
        Rays a, b;
        for (const auto& [i, j] : pairs) {
            const auto p = first.normalisedFromPixel(s.all[size_t(i)].pixel),
                       q = second.normalisedFromPixel(s.all[size_t(j)].pixel);
            if (p && q) a.push_back(p->homogeneous().normalized()), b.push_back(q->homogeneous().normalized());
        }
        SamplingOptions options;
        options.threshold = 4.0 / focal;
        options.trials = 100;
        options.seed = seed;
        const auto r = robustSampling<Eigen::Matrix3d>(
            int(a.size()), 2, options,
            [&](const std::vector<int>& sample, std::vector<Eigen::Matrix3d>& models) {
                models.push_back(rotationBetween(a, b, sample));
            },
            [&](const Eigen::Matrix3d& m, int i) { return (m * a[size_t(i)] - b[size_t(i)]).squaredNorm(); });
        if (!r.found || (best && r.cost >= best->cost)) continue;
        std::vector<int> use;
        for (size_t i = 0; i < a.size(); ++i)
            if (r.agrees[i]) use.push_back(int(i));
        best = FrameRotation{rotationBetween(a, b, use), second.focalPx, r.cost};
    }
    return best;
}

constexpr int firstSteps = 8, allSteps = 30;

/// A fifth of a pixel: what parallax is told from.
Eigen::Matrix2d sqrtInformation() { return Eigen::Matrix2d::Identity() * 5.0; }

/// A solve on the way from one starting focal length.
struct Attempt {
    BundleProblem problem;
    std::vector<int> pathOf;  ///< by point
    double cost = std::numeric_limits<double>::infinity();
};

/// Turns from frame to frame, put together. Without observations where a frame has nothing in common with the one
/// before.
Attempt begin(const Observations& s, const std::vector<FrameIndex>& frames, const Intrinsics& lens, uint64_t seed,
              bool zooms) {
    Attempt out;
    BundleProblem& problem = out.problem;
    std::vector<Eigen::Matrix3d> rotations(frames.size(), Eigen::Matrix3d::Identity());
    std::vector<double> focals(frames.size(), lens.focalPx);
    for (size_t k = 1; k < frames.size(); ++k) {
        const auto pairs = s.shared(frames[k - 1], frames[k]);
        const auto rotation = rotationBetween(s, pairs, lens, focals[k - 1], zooms, seed + k);
        if (!rotation) return {};
        rotations[k] = rotation->rotation * rotations[k - 1];
        if (zooms) focals[k] = rotation->focalPx;
    }
    problem.lenses.push_back(lens);
    std::vector<int> pointOf(size_t(s.pathCount()), -1);
    for (size_t k = 0; k < frames.size(); ++k) {
        problem.views.push_back({rotations[k], Eigen::Vector3d::Zero()});
        problem.lensOfView.push_back(0);
        if (zooms) problem.focalOfView.push_back(focals[k]);
        problem.timeOfView.push_back(s.number(frames[k]));
        for (int i : s.byFrame[frames[k]]) {
            const PathObservation& seen = s.all[size_t(i)];
            if (s.heldBack[size_t(seen.path)]) continue;
            const auto n = problem.intrinsics(int(k)).normalisedFromPixel(seen.pixel);
            if (!n) continue;
            int& point = pointOf[size_t(seen.path)];
            if (point < 0) {
                point = int(problem.points.size());
                problem.points.push_back(rotations[k].transpose() * n->homogeneous().normalized());
                out.pathOf.push_back(seen.path);
            }
            problem.observations.push_back({int(k), point, seen.pixel, sqrtInformation()});
        }
    }
    if (problem.observations.size() < 20) problem.observations.clear();
    return out;
}

/// A solve that goes on from another.
Attempt resume(const Observations& s, const RotationSolve& from) {
    Attempt out;
    BundleProblem& problem = out.problem;
    problem.lenses = {from.lens};
    problem.focalOfView = from.focals;
    problem.height = s.height;
    std::vector<int> pointOf(size_t(s.pathCount()), -1);
    for (size_t p = 0; p < pointOf.size(); ++p) {
        if (!(from.directions[p].squaredNorm() > 0)) continue;
        pointOf[p] = int(problem.points.size());
        problem.points.push_back(from.directions[p]);
        out.pathOf.push_back(int(p));
    }
    for (size_t k = 0; k < from.frames.size(); ++k) {
        problem.views.push_back({from.rotations[k], Eigen::Vector3d::Zero()});
        problem.lensOfView.push_back(0);
        problem.timeOfView.push_back(s.number(from.frames[k]));
        for (const int i : s.byFrame[from.frames[k]])
            if (const int point = pointOf[size_t(s.all[size_t(i)].path)]; point >= 0)
                problem.observations.push_back({int(k), point, s.all[size_t(i)].pixel, sqrtInformation()});
    }
    return out;
}

BundleOptions optionsFor(const BundleProblem& problem, const std::vector<LensValue>& solved,
                         const std::vector<BundleOptions::Prior>& priors) {
    BundleOptions options;
    options.solved = solved;
    options.priors = priors;
    options.fixedViews.assign(problem.views.size(), 0);
    options.fixedViews[0] = 1;
    options.rotationOnly = true;
    options.solveZoom =
        !problem.focalOfView.empty() && std::find(solved.begin(), solved.end(), LensValue::focal) != solved.end();
    options.lossScale = 2.0;
    return options;
}

/// Gives the share of the cost that is left.
double goOn(Attempt& attempt, const std::vector<LensValue>& solved, const std::vector<BundleOptions::Prior>& priors,
            int iterations, bool solveReadout = false) {
    if (attempt.problem.observations.empty()) return 1;
    BundleOptions options = optionsFor(attempt.problem, solved, priors);
    options.solveReadout = solveReadout;
    options.iterations = iterations;
    options.stopWhenCostFallsBy = 1e-5;
    const BundleSummary summary = bundle(attempt.problem, options);
    attempt.cost = summary.usable ? summary.finalCost : std::numeric_limits<double>::infinity();
    return summary.initialCost > 0 ? attempt.cost / summary.initialCost : 1;
}

RotationSolve take(const Observations& s, const std::vector<FrameIndex>& frames, const Attempt& attempt) {
    RotationSolve out;
    const BundleProblem& problem = attempt.problem;
    out.frames = frames;
    out.lens = problem.lenses[0];
    if (!problem.focalOfView.empty()) {
        out.focals = problem.focalOfView;
        std::vector<double> sorted = out.focals;
        out.lens.focalPx = median(sorted);
    }
    for (const View& v : problem.views) out.rotations.push_back(v.rotation);
    out.directions.assign(size_t(s.pathCount()), Eigen::Vector3d::Zero());
    for (size_t i = 0; i < attempt.pathOf.size(); ++i)
        out.directions[size_t(attempt.pathOf[i])] = problem.points[i].normalized();
    std::vector<double> errors;
    // Seen once, a direction fits whatever the camera does.
    std::vector<int> seenIn(problem.points.size(), 0);
    for (const auto& o : problem.observations) ++seenIn[size_t(o.point)];
    for (const auto& o : problem.observations) {
        if (seenIn[size_t(o.point)] < 2) continue;
        const auto p =
            project(problem.viewAt(o.view, o.pixel), problem.intrinsics(o.view), problem.points[size_t(o.point)]);
        errors.push_back(p ? (*p - o.pixel).norm() : 1e6);
    }
    if (errors.size() < 20) return out;
    std::sort(errors.begin(), errors.end());
    out.robustRmsPx = errors[errors.size() / 2] / 1.17741;
    out.upperPx = errors[errors.size() * 9 / 10];
    out.rates = problem.rates;
    out.readout = problem.readout;
    out.height = problem.height;
    out.found = true;
    return out;
}

}  // namespace

RotationSolve solveRotationOnly(const Observations& s, const std::vector<FrameIndex>& frames, const Intrinsics& lens,
                                const std::vector<LensValue>& solved, const std::vector<BundleOptions::Prior>& priors,
                                uint64_t seed, bool zooms) {
    RotationSolve best;
    if (frames.size() < 2) return best;
    const bool focalFree = std::find(solved.begin(), solved.end(), LensValue::focal) != solved.end();
    std::vector<double> factors{1.0};
    if (focalFree) factors = {0.42, 0.6, 0.8, 1.0, 1.5, 2.5};
    std::vector<Attempt> tries(factors.size());
    parallelRanges(int(factors.size()), 1, [&](int first, int end) {
        for (int i = first; i < end; ++i) {
            Intrinsics start = lens;
            start.focalPx *= factors[size_t(i)];
            // A distortion was given for the focal length that was assumed.
            start.lens = distortionForFocal(lens.lens, factors[size_t(i)]);
            tries[size_t(i)] = begin(s, frames, start, seed, zooms);
            goOn(tries[size_t(i)], solved, priors, firstSteps);
        }
    });
    std::erase_if(tries, [](const Attempt& t) { return !std::isfinite(t.cost); });
    // Starts that lag behind by then come to the same position or to a worse one.
    std::stable_sort(tries.begin(), tries.end(), [](const Attempt& a, const Attempt& b) { return a.cost < b.cost; });
    if (tries.size() > 2) tries.resize(2);
    std::vector<RotationSolve> done(tries.size());
    parallelRanges(int(tries.size()), 1, [&](int first, int end) {
        for (int i = first; i < end; ++i) {
            goOn(tries[size_t(i)], solved, priors, allSteps - firstSteps);
            if (std::isfinite(tries[size_t(i)].cost)) done[size_t(i)] = take(s, frames, tries[size_t(i)]);
        }
    });
    for (RotationSolve& r : done)
        if (r.found && r.lens.focalPx > 0 && (!best.found || r.robustRmsPx < best.robustRmsPx * 0.98))
            best = std::move(r);
    return best;
}

namespace {

/// Rates from the views as they stand, and from the rows of those whose neighbours do not tell: which those are.
std::vector<size_t> takeRates(BundleProblem& problem) {
    problem.rates = ratesOf(problem.views, problem.timeOfView);
    std::vector<size_t> out;
    for (const EndRate& e : endRates(problem, true)) {
        problem.views[e.view] = e.middle;
        problem.rates[e.view] = e.rate;
        out.push_back(e.view);
    }
    return out;
}

}  // namespace

RotationSolve withRowsRead(const Observations& s, const RotationSolve& rotation, const std::vector<LensValue>& solved,
                           const std::vector<BundleOptions::Prior>& priors, const RowReading& rows) {
    if (!rotation.found || !rows.matters()) return rotation;
    Attempt attempt = resume(s, rotation);
    BundleProblem& problem = attempt.problem;
    problem.readout = rows.readout;
    for (int round = 0; round < 5; ++round) {
        takeRates(problem);
        const double had = attempt.cost;
        const double left = goOn(attempt, solved, priors, 12, rows.solves);
        if (!std::isfinite(attempt.cost) || (rows.looks && round == 0 && left > limits::rowsGain)) return rotation;
        if (attempt.cost > 0.999 * had) break;
    }
    const std::vector<size_t> measured = takeRates(problem);
    RotationSolve out = take(s, rotation.frames, attempt);
    if (!out.found) return rotation;
    out.measuredRates = measured;
    if (rows.solves) {
        // How fast the cost rises beside the minimum, all else settled there, tells the deviation.
        constexpr double aside = 0.1;
        Attempt other = attempt;
        other.problem.readout += aside;
        goOn(other, solved, priors, 12);
        const double rise = other.cost - attempt.cost, noise = std::max(0.2, out.robustRmsPx * sqrtInformation()(0, 0));
        out.readoutSigma = rise > 0 ? std::min(1.0, noise * aside / std::sqrt(2 * rise)) : 1.0;
    }
    return out;
}

bool tellsReadout(double readout, double sigma) {
    const double found = std::fabs(readout);
    return sigma > 0 && found > std::max(0.05, 4 * sigma) && found < 1.2;
}

RotationSolve withPathsWeighed(const Observations& s, const RotationSolve& rotation,
                               const std::vector<LensValue>& solved, const std::vector<BundleOptions::Prior>& priors) {
    if (!rotation.found || !rotation.rates.empty()) return rotation;
    Attempt attempt = resume(s, rotation);
    BundleProblem& problem = attempt.problem;
    for (int round = 0; round < 3; ++round) {
        std::vector<double> sum(problem.points.size(), 0), count(problem.points.size(), 0);
        for (const auto& o : problem.observations) {
            const auto p =
                project(problem.viewAt(o.view, o.pixel), problem.intrinsics(o.view), problem.points[size_t(o.point)]);
            sum[size_t(o.point)] += p ? (*p - o.pixel).squaredNorm() : 1e6;
            ++count[size_t(o.point)];
        }
        std::vector<double> errors;
        for (size_t p = 0; p < sum.size(); ++p)
            if (count[p] > 2) errors.push_back(std::sqrt(sum[p] / count[p]));
        if (errors.size() < 20) return rotation;
        const double usual = std::max(0.02, median(errors));
        for (auto& o : problem.observations) {
            const double error = std::sqrt(sum[size_t(o.point)] / count[size_t(o.point)]);
            o.sqrtInformation = sqrtInformation() * std::min(1.0, usual / std::max(1e-9, error));
        }
        goOn(attempt, solved, priors, 15);
        if (!std::isfinite(attempt.cost)) return rotation;
    }
    RotationSolve out = take(s, rotation.frames, attempt);
    return out.found ? out : rotation;
}

std::optional<Eigen::VectorXd> lensVariance(const Observations& s, const RotationSolve& rotation,
                                            const std::vector<LensValue>& solved,
                                            const std::vector<BundleOptions::Prior>& priors) {
    constexpr size_t most = 60;
    constexpr int groups = 16;
    if (!rotation.found) return std::nullopt;
    RotationSolve some = rotation;
    const size_t step = (rotation.frames.size() + most - 1) / most;
    some.frames.clear(), some.rotations.clear(), some.focals.clear(), some.rates.clear();
    for (size_t k = 0; k < rotation.frames.size(); k += step) {
        some.frames.push_back(rotation.frames[k]), some.rotations.push_back(rotation.rotations[k]);
        if (!rotation.focals.empty()) some.focals.push_back(rotation.focals[k]);
        if (!rotation.rates.empty()) some.rates.push_back(rotation.rates[k]);
    }
    Attempt attempt = resume(s, some);
    attempt.problem.rates = some.rates, attempt.problem.readout = some.readout;
    // Where paths scatter by more than is taken of them, most lie in the tails of the loss: there its slope is no
    // longer what its weights say, and a Newton step too short.
    const double scatter = std::max(1.0, rotation.robustRmsPx * sqrtInformation()(0, 0));
    for (auto& o : attempt.problem.observations) o.sqrtInformation /= scatter;
    BundleOptions options = optionsFor(attempt.problem, solved, priors);
    options.solveReadout = rotation.readoutSigma > 0;
    return varianceByPaths(attempt.problem, options, scatteredNeighbourhoods(attempt.problem, groups));
}

}  // namespace va
