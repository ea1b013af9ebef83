// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/lens_certainty.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "base/parallel.h"
#include "solve/bundle/normal_equations.h"
#include "solve/bundle/uncertainty.h"
#include "solve/incremental/refine.h"
#include "solve/incremental/thresholds.h"
#include "track/track.h"

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

/// Group of every point, and how many groups there are. Patches of neighbours overlap and err together, and so do those
/// that each of them overlaps with: points that lie within two patches of each other in the middle view are left out
/// together.
std::pair<std::vector<int>, int> groupsOf(const BundleProblem& problem, int wanted) {
    const View& middle = problem.views[problem.views.size() / 2];
    const Intrinsics lens = problem.intrinsics(int(problem.views.size() / 2));
    const double apart = 2 * (2 * defaultPatchRadius(int(2 * lens.principalPoint.x())) + 1);
    std::map<std::array<int, 3>, int> cells;
    std::vector<int> out;
    for (const Eigen::Vector3d& point : problem.points) {
        const Eigen::Vector3d at = middle.toCamera(point);
        const auto cell = [&](double share) {
            return int(std::lround(std::clamp(share * lens.focalPx / apart, -1e6, 1e6)));
        };
        const double depth = std::max(1e-12, std::fabs(at.z()));
        const std::array<int, 3> key{cell(at.x() / depth), cell(at.y() / depth), at.z() > 0};
        out.push_back(cells.emplace(key, int(cells.size())).first->second);
    }
    const int groups = std::min({wanted, int(cells.size()) / 2, int(problem.points.size()) / 6});
    for (int& g : out) g %= std::max(1, groups);
    return {std::move(out), groups};
}

}  // namespace

std::optional<Eigen::MatrixXd> lensCovariance(const Reconstruction& r, const std::vector<LensValue>& values) {
    return covarianceOf(r, values, false);
}

std::optional<Eigen::VectorXd> varianceByPaths(const BundleProblem& problem, const BundleOptions& options, int wanted) {
    constexpr int fewest = 6;
    const auto n = Eigen::Index(options.solved.size());
    if (n == 0) return std::nullopt;
    const auto [groupOf, groups] = groupsOf(problem, wanted);
    if (groups < fewest) return std::nullopt;
    // The equations of a group are taken off those of all.
    NormalEquations whole(problem, options);
    if (!std::isfinite(whole.linearise(problem))) return std::nullopt;
    constexpr double damping = 1e-10;
    whole.gather(damping);
    BundleProblem empty = problem;
    empty.observations.clear();
    std::vector<std::vector<BundleProblem::Observation>> ofGroup(static_cast<size_t>(groups));
    for (const auto& o : problem.observations) ofGroup[size_t(groupOf[size_t(o.point)])].push_back(o);
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
                                    const Eigen::MatrixXd& covariance) {
    constexpr int groups = 24, mostViews = 40;
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
    const auto variance = varianceByPaths(s.problem, options, groups);
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
