// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/end_rates.h"

#include <Eigen/Cholesky>
#include <cmath>
#include <optional>
#include <vector>

#include "base/cross_matrix.h"
#include "base/parallel.h"
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

bool hasNeighbours(const std::vector<double>& times, size_t view) {
    for (std::ptrdiff_t k = -reach; k <= reach; ++k) {
        const std::ptrdiff_t at = std::ptrdiff_t(view) + k;
        if (at < 0 || at >= std::ssize(times) || std::fabs(times[size_t(at)] - times[view] - double(k)) > 1e-9)
            return false;
    }
    return true;
}

/// Root mean squares over frames: of what the first derivative changes by from one to the next, and of the others.
struct Changes {
    Move first = Move::Zero(), second = Move::Zero(), third = Move::Zero();
};
std::optional<Changes> changesOf(const std::vector<ViewRate>& rates, const std::vector<size_t>& inner) {
    Changes out;
    int steps = 0;
    for (size_t i = 0; i < inner.size(); ++i) {
        const ViewRate& rate = rates[inner[i]];
        out.second += rate.second.cwiseAbs2();
        out.third += rate.third.cwiseAbs2();
        if (i == 0 || inner[i] - inner[i - 1] != 1) continue;
        out.first += (rate.first - rates[inner[i - 1]].first).cwiseAbs2();
        ++steps;
    }
    if (inner.size() < 4 || steps < 3) return std::nullopt;
    out.first = (out.first / steps).cwiseSqrt();
    out.second = (out.second / double(inner.size())).cwiseSqrt();
    out.third = (out.third / double(inner.size())).cwiseSqrt();
    // A deviation of zero would divide by zero, and would forbid a component to move that never moved elsewhere.
    for (Move* m : {&out.first, &out.second, &out.third})
        for (const int part : {0, 3}) {
            const double most = m->segment<3>(part).maxCoeff();
            m->segment<3>(part) = m->segment<3>(part).cwiseMax(std::max(1e-3 * most, 1e-12));
        }
    return out;
}

using Sights = std::vector<const BundleProblem::Observation*>;

/// Cost, and its normal equations where wanted, of one frame's observations and of what was expected.
double costOf(const BundleProblem& p, bool rotationOnly, const Sights& seen, const State& s, const Expected& expected,
              Normal* normal, Step* gradient) {
    const Loss loss{limits::bundleLoss * limits::bundleLoss};
    double cost = 0;
    if (normal) normal->setZero(), gradient->setZero();
    for (const BundleProblem::Observation* at : seen) {
        const double late = p.readout * (at->pixel.y() / std::max(1, p.height - 1) - 0.5);
        const Move move = s.rate.after(late);
        const View then = moved(s.view, move.head<3>(), move.tail<3>());
        const Eigen::Vector3d c = then.toCamera(p.points[size_t(at->point)]);
        if (!(c.z() > 1e-9)) {
            cost += loss.cost(1e4);
            continue;
        }
        const Intrinsics lens = p.intrinsics(at->view);
        const Eigen::Vector2d n = c.head<2>() / c.z();
        Eigen::Matrix2d slope;
        const Eigen::Vector2d distorted = distortPoint(lens.lens.kind(), lens.lens.values(), n, &slope),
                              perUnit(lens.focalPx / lens.pixelAspect, lens.focalPx);
        const Eigen::Vector2d residual =
            at->sqrtInformation * (perUnit.cwiseProduct(distorted) + lens.principalPoint - at->pixel);
        const double squared = residual.squaredNorm();
        cost += loss.cost(squared);
        if (!normal) continue;
        Eigen::Matrix<double, 2, 3> divide;
        divide << 1 / c.z(), 0, -n.x() / c.z(), 0, 1 / c.z(), -n.y() / c.z();
        const Eigen::Matrix<double, 2, 3> byPlace = at->sqrtInformation * (perUnit.asDiagonal() * slope * divide);
        Eigen::Matrix<double, 2, unknowns> by;
        by.leftCols<3>() = -byPlace * crossMatrix(c);
        if (rotationOnly) by.middleCols<3>(3).setZero();
        else by.middleCols<3>(3) = byPlace;
        by.middleCols<6>(6) = late * by.leftCols<6>();
        by.middleCols<6>(12) = late * late / 2 * by.leftCols<6>();
        by.rightCols<6>() = late * late * late / 6 * by.leftCols<6>();
        const double weight = loss.weight(squared);
        normal->noalias() += weight * by.transpose() * by;
        gradient->noalias() += weight * by.transpose() * residual;
    }
    // The shift of a camera that stays in its place is no unknown: a one keeps the matrix solvable, its step is zero.
    if (normal && rotationOnly) normal->diagonal().segment<3>(3).setOnes();
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
std::optional<State> fitted(const BundleProblem& p, bool rotationOnly, const Sights& seen, State s,
                            const Expected& expected) {
    Normal normal;
    Step gradient;
    double cost = costOf(p, rotationOnly, seen, s, expected, &normal, &gradient), damping = 1e-6;
    bool better = false;
    for (int round = 0; round < 15 && std::isfinite(cost); ++round) {
        Normal damped = normal;
        damped.diagonal() *= 1 + damping;
        const Step step = damped.ldlt().solve(-gradient);
        if (!step.allFinite()) break;
        const State next = after(s, step);
        const double there = costOf(p, rotationOnly, seen, next, expected, nullptr, nullptr);
        if (!(there < cost)) {
            damping *= 10;
            if (damping > 1e3) break;
            continue;
        }
        const bool small = cost - there < 1e-4 * cost;
        s = next, better = true;
        damping = std::max(1e-9, damping / 10);
        cost = costOf(p, rotationOnly, seen, s, expected, &normal, &gradient);
        if (small) break;
    }
    return better ? std::optional(s) : std::nullopt;
}

}  // namespace

std::vector<EndRate> endRates(const BundleProblem& p, bool rotationOnly) {
    std::vector<EndRate> out;
    if (p.rates.size() != p.views.size()) return out;
    std::vector<size_t> inner;
    std::vector<char> isInner(p.views.size(), 0);
    for (size_t v = 0; v < p.views.size(); ++v)
        if (hasNeighbours(p.timeOfView, v)) inner.push_back(v), isInner[v] = 1;
    const auto changes = changesOf(p.rates, inner);
    if (!changes) return out;
    std::vector<Sights> seen(p.views.size());
    for (const BundleProblem::Observation& o : p.observations)
        if (!isInner[size_t(o.view)]) seen[size_t(o.view)].push_back(&o);
    const auto apart = [&](size_t a, size_t b) { return std::fabs(p.timeOfView[a] - p.timeOfView[b]); };
    std::vector<size_t> outer;
    for (size_t v = 0; v < p.views.size(); ++v)
        if (int(seen[v].size()) >= unknowns) outer.push_back(v);
    std::vector<std::optional<State>> fits(outer.size());
    const auto fitTo = [&](size_t v) {
        size_t near = inner.front();
        for (const size_t g : inner)
            if (apart(g, v) < apart(near, v)) near = g;
        State start{p.views[v], ViewRate()};
        start.rate.first = p.rates[near].first;
        const Expected expected{start.rate.first, std::sqrt(apart(near, v)) * changes->first, changes->second,
                                changes->third};
        return fitted(p, rotationOnly, seen[v], start, expected);
    };
    parallelRanges(int(outer.size()), 1, [&](int begin, int end) {
        for (auto i = size_t(begin); i < size_t(end); ++i) fits[i] = fitTo(outer[i]);
    });
    for (size_t i = 0; i < outer.size(); ++i)
        if (fits[i]) out.push_back({outer[i], fits[i]->view, fits[i]->rate});
    return out;
}

void measureEndRates(Reconstruction& r) {
    r.forgetMeasuredRates();
    if (!r.rolls()) return;
    r.updateRates();
    const Observations& o = r.observations();
    BundleProblem p;
    std::vector<FrameIndex> frames;
    ByFrame<int> viewOf(size_t(o.frameCount()), -1);
    p.lenses = {r.lens()};
    p.readout = r.readout(), p.height = o.height;
    for (const FrameIndex f : o.indices()) {
        if (!r.hasView(f)) continue;
        viewOf[f] = int(frames.size());
        frames.push_back(f);
        p.views.push_back(*r.views()[f]);
        p.lensOfView.push_back(0);
        p.timeOfView.push_back(o.number(f));
        p.rates.push_back(r.rates()[f]);
        if (r.zooms()) p.focalOfView.push_back(r.lensOf(f).focalPx);
    }
    // Also what was set aside: it may have been for a wrong rate alone.
    std::vector<int> pointOf(r.points().size(), -1);
    for (const PathObservation& s : o.all) {
        const auto& point = r.points()[size_t(s.path)];
        if (viewOf[s.frame] < 0 || !point || o.heldBack[size_t(s.path)]) continue;
        int& at = pointOf[size_t(s.path)];
        if (at < 0) at = int(p.points.size()), p.points.push_back(*point);
        p.observations.push_back(
            {viewOf[s.frame], at, s.pixel, r.pathWeight(s.path) / r.trust().scale * s.sqrtInformation});
    }
    for (const EndRate& e : endRates(p, false))
        r.setView(frames[e.view], e.middle), r.setMeasuredRate(frames[e.view], e.rate);
    r.updateRates();
}

}  // namespace va
