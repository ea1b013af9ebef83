// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/end_rates.h"

#include <Eigen/Cholesky>
#include <cmath>
#include <cstdlib>
#include <optional>
#include <vector>

#include "base/cross_matrix.h"
#include "solve/bundle/loss.h"
#include "solve/incremental/thresholds.h"
#include "solve/minimal/resect.h"

namespace va {
namespace {

using Move = ViewRate::Move;

/// Neighbours that a frame needs on each side.
constexpr int reach = 3;
/// Unknowns: the view, and the first three derivatives of its motion.
constexpr int unknowns = 24;
using Normal = Eigen::Matrix<double, unknowns, unknowns>;
using Step = Eigen::Matrix<double, unknowns, 1>;

/// What is known of the derivatives before the frame's rows are asked, component by component: of the first mean and
/// deviation, of the others how large they are.
struct Expected {
    Move first, firstSigma, secondSigma, thirdSigma;
};

struct State {
    View view;
    ViewRate rate;
};

bool hasNeighbours(const Reconstruction& r, FrameIndex f) {
    const Observations& o = r.observations();
    for (int k = -reach; k <= reach; ++k) {
        const FrameIndex at = f + k;
        if (at < FrameIndex(0) || at >= FrameIndex(o.frameCount()) || !r.hasView(at) || o.number(at) - o.number(f) != k)
            return false;
    }
    return true;
}

/// Root mean squares over frames: of what the first derivative changes by from one to the next, and of the others.
struct Changes {
    Move first = Move::Zero(), second = Move::Zero(), third = Move::Zero();
};
std::optional<Changes> changesOf(const Reconstruction& r, const std::vector<FrameIndex>& inner) {
    Changes out;
    int steps = 0;
    for (size_t i = 0; i < inner.size(); ++i) {
        const ViewRate& rate = r.rates()[inner[i]];
        out.second += rate.second.cwiseAbs2();
        out.third += rate.third.cwiseAbs2();
        if (i == 0 || inner[i] - inner[i - 1] != 1) continue;
        out.first += (rate.first - r.rates()[inner[i - 1]].first).cwiseAbs2();
        ++steps;
    }
    if (inner.size() < 4 || steps < 3) return std::nullopt;
    out.first = (out.first / steps).cwiseSqrt();
    out.second = (out.second / double(inner.size())).cwiseSqrt();
    out.third = (out.third / double(inner.size())).cwiseSqrt();
    // A camera that is perfectly still is still to be found moving a little.
    for (Move* m : {&out.first, &out.second, &out.third})
        for (const int part : {0, 3}) {
            const double most = m->segment<3>(part).maxCoeff();
            m->segment<3>(part) = m->segment<3>(part).cwiseMax(std::max(1e-3 * most, 1e-12));
        }
    return out;
}

/// Cost, and its normal equations where wanted, of one frame's observations and of what was expected.
double costOf(const Reconstruction& r, const std::vector<const PathObservation*>& seen, const State& s,
              const Expected& expected, Normal* normal, Step* gradient) {
    const Loss loss{limits::bundleLoss * limits::bundleLoss};
    const Observations& o = r.observations();
    double cost = 0;
    if (normal) normal->setZero(), gradient->setZero();
    for (const PathObservation* at : seen) {
        const double late = r.readout() * (at->pixel.y() / std::max(1, o.height - 1) - 0.5);
        const Move move = s.rate.after(late);
        const View then = moved(s.view, move.head<3>(), move.tail<3>());
        const Eigen::Vector3d c = then.toCamera(*r.points()[size_t(at->path)]);
        if (!(c.z() > 1e-9)) {
            cost += loss.cost(1e4);
            continue;
        }
        const Intrinsics lens = r.lensOf(at->frame);
        const Eigen::Vector2d n = c.head<2>() / c.z();
        Eigen::Matrix2d slope;
        const Eigen::Vector2d distorted = distortPoint(lens.lens.kind(), lens.lens.values(), n, &slope),
                              perUnit(lens.focalPx / lens.pixelAspect, lens.focalPx);
        const Eigen::Matrix2d whiten = r.pathWeight(at->path) / r.trust().scale * at->sqrtInformation;
        const Eigen::Vector2d residual = whiten * (perUnit.cwiseProduct(distorted) + lens.principalPoint - at->pixel);
        const double squared = residual.squaredNorm();
        cost += loss.cost(squared);
        if (!normal) continue;
        Eigen::Matrix<double, 2, 3> divide;
        divide << 1 / c.z(), 0, -n.x() / c.z(), 0, 1 / c.z(), -n.y() / c.z();
        const Eigen::Matrix<double, 2, 3> byPlace = whiten * (perUnit.asDiagonal() * slope * divide);
        Eigen::Matrix<double, 2, unknowns> by;
        by.leftCols<3>() = -byPlace * crossMatrix(c);
        by.middleCols<3>(3) = byPlace;
        by.middleCols<6>(6) = late * by.leftCols<6>();
        by.middleCols<6>(12) = late * late / 2 * by.leftCols<6>();
        by.rightCols<6>() = late * late * late / 6 * by.leftCols<6>();
        const double weight = loss.weight(squared);
        normal->noalias() += weight * by.transpose() * by;
        gradient->noalias() += weight * by.transpose() * residual;
    }
    const auto draw = [&](const Move& is, const Move& mean, const Move& sigma, int from) {
        for (int k = 0; k < 6; ++k) {
            const double e = (is[k] - mean[k]) / sigma[k];
            cost += 0.5 * e * e;
            if (!normal) continue;
            (*normal)(from + k, from + k) += 1 / (sigma[k] * sigma[k]);
            (*gradient)[from + k] += e / sigma[k];
        }
    };
    draw(s.rate.first, expected.first, expected.firstSigma, 6);
    draw(s.rate.second, Move::Zero(), expected.secondSigma, 12);
    draw(s.rate.third, Move::Zero(), expected.thirdSigma, 18);
    return cost;
}

State after(const State& s, const Step& step) {
    State out = s;
    out.view = moved(s.view, step.segment<3>(0), step.segment<3>(3));
    out.rate.first += step.segment<6>(6);
    out.rate.second += step.segment<6>(12);
    out.rate.third += step.segment<6>(18);
    return out;
}

/// The fit; nothing where it leads nowhere.
std::optional<State> fitted(const Reconstruction& r, const std::vector<const PathObservation*>& seen, State s,
                            const Expected& expected) {
    Normal normal;
    Step gradient;
    double cost = costOf(r, seen, s, expected, &normal, &gradient), damping = 1e-6;
    bool better = false;
    for (int round = 0; round < 15 && std::isfinite(cost); ++round) {
        Normal damped = normal;
        damped.diagonal() *= 1 + damping;
        const Step step = damped.ldlt().solve(-gradient);
        if (!step.allFinite()) break;
        const State next = after(s, step);
        const double there = costOf(r, seen, next, expected, nullptr, nullptr);
        if (!(there < cost)) {
            damping *= 10;
            if (damping > 1e3) break;
            continue;
        }
        const bool small = cost - there < 1e-4 * cost;
        s = next, better = true;
        damping = std::max(1e-9, damping / 10);
        cost = costOf(r, seen, s, expected, &normal, &gradient);
        if (small) break;
    }
    return better ? std::optional(s) : std::nullopt;
}

}  // namespace

void measureEndRates(Reconstruction& r) {
    r.forgetMeasuredRates();
    if (!r.rolls()) return;
    r.updateRates();
    const Observations& o = r.observations();
    std::vector<FrameIndex> inner, outer;
    for (const FrameIndex f : o.indices())
        if (r.hasView(f)) (hasNeighbours(r, f) ? inner : outer).push_back(f);
    const auto changes = changesOf(r, inner);
    if (!changes) return;
    std::vector<std::pair<FrameIndex, State>> found;
    for (const FrameIndex f : outer) {
        std::vector<const PathObservation*> seen;
        for (const int i : o.byFrame[f])
            if (const PathObservation& s = o.all[size_t(i)]; r.points()[size_t(s.path)] && !o.heldBack[size_t(s.path)])
                seen.push_back(&s);
        if (int(seen.size()) < std::max(unknowns, o.fewest.seen)) continue;
        FrameIndex near = inner.front();
        for (const FrameIndex g : inner)
            if (std::abs(g - f) < std::abs(near - f)) near = g;
        const ViewRate& beside = r.rates()[near];
        const double steps = std::sqrt(double(std::abs(near - f)));
        const Expected expected{beside.first, steps * changes->first, changes->second, changes->third};
        State start{*r.views()[f], ViewRate()};
        start.rate.first = beside.first;
        if (const auto fit = fitted(r, seen, start, expected)) found.emplace_back(f, *fit);
    }
    for (const auto& [f, s] : found) r.setView(f, s.view), r.setMeasuredRate(f, s.rate);
    r.updateRates();
}

}  // namespace va
