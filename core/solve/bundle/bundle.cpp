// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/bundle/bundle.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>

#include "base/text.h"
#include "solve/bundle/normal_equations.h"
#include "solve/minimal/resect.h"

namespace va {

View BundleProblem::viewAt(int view, const Eigen::Vector2d& pixel) const {
    const View& middle = views[size_t(view)];
    return rates.empty() ? middle : viewAtRow(middle, rates[size_t(view)], readout, pixel.y(), height);
}

std::string BundleSummary::brief() const {
    return text("cost %.4e → %.4e in %d steps, %.2f s", initialCost, finalCost, iterations, seconds);
}

BundleSummary bundle(BundleProblem& problem, const BundleOptions& options) {
    BundleSummary summary;
    if (problem.observations.empty()) return summary;
    const auto start = std::chrono::steady_clock::now();
    NormalEquations equations(problem, options);
    double cost = equations.linearise(problem);
    summary.initialCost = summary.finalCost = cost;
    if (!std::isfinite(cost)) return summary;
    BundleStep step;
    // The region that the linear problem is trusted in, as a share of the diagonal, grows and shrinks by how well it
    // foretold the gain.
    double damping = 1e-6, harder = 10;
    for (int failed = 0; summary.iterations < options.iterations && failed < 12;) {
        if (options.cancelled && options.cancelled()) break;
        ++summary.iterations;
        const bool solved = equations.solve(damping, step);
        if (solved && step.gain <= 1e-15 * cost) break;
        double next = INFINITY;
        const auto views = problem.views;
        const auto lenses = problem.lenses;
        const auto focals = problem.focalOfView;
        const auto points = problem.points;
        const double readout = problem.readout;
        if (solved) {
            equations.apply(step, problem);
            next = equations.settlePoints(problem);
        }
        const double gain = cost - next;
        if (std::isfinite(next) && gain > 1e-3 * step.gain) {
            const double share = gain / step.gain;
            // Weak directions, such as focal length against depth, are ten million times softer than strong ones: what
            // holds them back has to go quickly.
            damping = std::max(1e-13, damping * (share > 0.7 ? 0.05 : share > 0.3 ? 0.5 : 3));
            harder = 10;
            failed = 0;
            const bool small =
                gain < options.stopWhenCostFallsBy * cost || step.camerasGain < options.stopWhenCamerasGain;
            cost = next;
            if (small) break;
            if (summary.iterations < options.iterations) equations.linearise(problem);
            continue;
        }
        problem.views = views, problem.lenses = lenses, problem.focalOfView = focals, problem.points = points;
        problem.readout = readout;
        // The linear model predicts a gain below what the true cost resolves: converged.
        if (solved && step.gain < options.stopWhenCostFallsBy * cost) break;
        damping *= harder, harder *= 2;
        ++failed;
    }
    summary.finalCost = cost;
    summary.usable = std::isfinite(cost);
    summary.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    return summary;
}

}  // namespace va
