// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/lens_certainty.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "solve/bundle/normal_equations.h"
#include "solve/bundle/uncertainty.h"
#include "solve/incremental/refine.h"
#include "solve/incremental/thresholds.h"

namespace va {
namespace {

std::optional<Eigen::MatrixXd> covarianceOf(const Reconstruction& r, const std::vector<LensValue>& values,
                                            bool readout) {
    constexpr int mostViews = 60;  // dense algebra over six numbers a view
    const BundleSelection s = selectForBundle(r, (r.solvedFrames() + mostViews - 1) / mostViews);
    auto covariance = lensCovariance(s.problem, values, false, 0.25, readout);
    // The frames between count as well; they see the same points in much the same way. A path's error that goes on
    // over frames is one measurement and not many.
    if (covariance)
        *covariance *=
            r.errorsTogether() * r.errorsTogether() * double(s.problem.views.size()) / std::max(1, r.solvedFrames());
    return covariance;
}

}  // namespace

std::optional<Eigen::MatrixXd> lensCovariance(const Reconstruction& r, const std::vector<LensValue>& values) {
    return covarianceOf(r, values, false);
}

std::optional<Eigen::VectorXd> varianceByPaths(const BundleProblem& problem, const BundleOptions& options,
                                               const PathGroups& grouped) {
    constexpr int fewest = 6;
    const auto n = Eigen::Index(options.solved.size());
    const int groups = grouped.count;
    if (n == 0 || groups < fewest) return std::nullopt;
    // The equations of a group are taken off those of all.
    NormalEquations whole(problem, options);
    if (!std::isfinite(whole.linearise(problem))) return std::nullopt;
    constexpr double damping = 1e-10;
    whole.gather(damping);
    BundleProblem empty = problem;
    empty.observations.clear();
    std::vector<std::vector<BundleProblem::Observation>> ofGroup(static_cast<size_t>(groups));
    for (const auto& o : problem.observations) ofGroup[size_t(grouped.ofPoint[size_t(o.point)])].push_back(o);
    Eigen::MatrixXd moves = Eigen::MatrixXd::Zero(n, groups);
    std::vector<char> failed(size_t(groups), 0);
    parallelRanges(groups, 1, [&](int begin, int end) {
        for (int g = begin; g < end; ++g) {
            BundleProblem p = empty;
            p.observations = ofGroup[size_t(g)];
            NormalEquations part(p, options);
            part.linearisePart(p);
            part.gather(damping);
            Eigen::VectorXd views, border;
            if (!whole.solveWithout(part, views, border)) {
                failed[size_t(g)] = 1;
                continue;
            }
            // The focal lengths of a zoom are among the views' numbers: the middle one speaks for all.
            const auto middle = Eigen::Index(p.views.size() / 2);
            for (Eigen::Index k = 0, at = 0; k < n; ++k)
                moves(k, g) = options.solveZoom && options.solved[size_t(k)] == LensValue::focal
                                  ? p.focalOfView[size_t(middle)] * views[(middle + 1) * whole.viewSize() - 1]
                                  : border[at++];
        }
    });
    if (std::find(failed.begin(), failed.end(), 1) != failed.end() || !moves.allFinite()) return std::nullopt;
    const Eigen::MatrixXd off = moves.colwise() - moves.rowwise().mean();
    return Eigen::VectorXd((groups - 1.0) / groups * off.rowwise().squaredNorm());
}

Eigen::VectorXd disagreementOfPaths(const Reconstruction& r, const std::vector<LensValue>& values,
                                    const Eigen::MatrixXd& covariance, ErrAlike alike) {
    constexpr int groups = 24, halvings = 3, mostViews = 40;
    const BundleSelection s = selectForBundle(r, (r.solvedFrames() + mostViews - 1) / mostViews);
    const auto n = Eigen::Index(values.size());
    const Eigen::VectorXd none = Eigen::VectorXd::Ones(n);
    if (covariance.rows() != n) return none;
    BundleOptions options;
    options.solved = values;
    options.lossScale = limits::bundleLoss;
    options.fixedViews.assign(s.problem.views.size(), 0);
    if (!r.tiesPlace()) options.fixedViews[0] = 1;
    options.solveZoom = r.findsFocals();
    const auto variance = varianceByPaths(
        s.problem, options,
        alike == ErrAlike::neighbours ? scatteredNeighbourhoods(s.problem, groups) : regions(s.problem, halvings));
    if (!variance) return none;
    const Eigen::VectorXd ratio = variance->cwiseQuotient(covariance.diagonal()).cwiseSqrt();
    return ratio.allFinite() ? Eigen::VectorXd(ratio.cwiseMin(10)) : none;
}

std::optional<double> readoutSigma(const Reconstruction& r) {
    if (r.rates().empty()) return std::nullopt;
    const auto c = covarianceOf(r, {}, true);
    if (!c || c->size() == 0) return std::nullopt;
    return std::sqrt((*c)(c->rows() - 1, c->cols() - 1));
}

}  // namespace va
