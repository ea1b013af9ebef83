// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/bundle/uncertainty.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "solve/bundle/normal_equations.h"

namespace va {

std::optional<Eigen::MatrixXd> lensCovariance(const BundleProblem& problem, std::span<const LensValue> values,
                                              bool fixedPoints, double least, bool solveReadout) {
    BundleOptions options;
    options.solved.assign(values.begin(), values.end());
    options.fixedPoints = fixedPoints;
    options.solveZoom = !problem.focalOfView.empty();
    options.solveReadout = solveReadout;
    if (!fixedPoints && !problem.observations.empty()) {
        // The world's position and rotation; its scale is held by a hair of damping, which the rest does not notice.
        options.fixedViews.assign(problem.views.size(), 0);
        options.fixedViews[size_t(problem.observations.front().view)] = 1;
    }
    NormalEquations equations(problem, options);
    equations.linearise(problem);
    long spare = equations.residualCount() - equations.unknownCount();
    // Seen once, a position fits whatever the camera does: its two residuals say nothing, for three numbers.
    if (!fixedPoints) {
        std::vector<int> seen(problem.points.size(), 0);
        for (const auto& o : problem.observations) ++seen[size_t(o.point)];
        spare += std::count(seen.begin(), seen.end(), 1);
    }
    if (spare <= 0 || !equations.factorForCovariance()) return std::nullopt;
    // A direction that is left free keeps a variance of 1e9 instead of a division by nothing.
    const Eigen::MatrixXd& information = equations.borderInformation();
    const double variance = std::max(least, equations.sumSquares() / double(spare));
    Eigen::MatrixXd known;
    if (information.size() > 0) {
        const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> axes(0.5 * (information + information.transpose()));
        const Eigen::VectorXd spread =
            axes.eigenvalues().unaryExpr([&](double e) { return variance / std::max(e, variance * 1e-9); });
        known = axes.eigenvectors() * spread.asDiagonal() * axes.eigenvectors().transpose();
        // Behind the lens's numbers and the read-out time stand points that ties speak of.
        const bool focalInViews =
            options.solveZoom && std::find(values.begin(), values.end(), LensValue::focal) != values.end();
        const auto asked = Eigen::Index(values.size()) - focalInViews + (solveReadout && !problem.rates.empty());
        known = known.topLeftCorner(asked, asked).eval();
    }
    const auto focal = std::find(values.begin(), values.end(), LensValue::focal);
    if (!options.solveZoom || focal == values.end()) return known;
    const auto n = known.rows() + 1, at = Eigen::Index(focal - values.begin());
    const int middle = int(problem.views.size() / 2);
    const Eigen::Index last = equations.viewSize() - 1;
    Eigen::MatrixXd out = Eigen::MatrixXd::Zero(n, n);
    for (Eigen::Index a = 0; a < n; ++a)
        for (Eigen::Index b = 0; b < n; ++b)
            if (a != at && b != at) out(a, b) = known(a - (a > at), b - (b > at));
    out(at, at) =
        variance * std::pow(problem.focalOfView[size_t(middle)], 2) * equations.covariance({middle})(last, last);
    return out;
}

}  // namespace va
