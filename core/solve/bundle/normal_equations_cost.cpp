// SPDX-License-Identifier: GPL-3.0-or-later
// Residuals, their derivatives, the cost, and points settled around cameras that stay.
#include "solve/bundle/normal_equations.h"

#include <Eigen/Cholesky>
#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/cross_matrix.h"
#include "base/parallel.h"
#include "base/rotation_vector.h"
#include "solve/bundle/loss.h"

namespace va {
namespace {

/// Depth that a projection is divided by: a point in the camera's plane must not make numbers infinite.
double depthOf(const Eigen::Vector3d& camera) { return std::fabs(camera.z()) > 1e-9 ? camera.z() : 1e-9; }

}  // namespace

Eigen::Vector2d NormalEquations::residualOf(const BundleProblem& p, const BundleProblem::Observation& o) const {
    const View& view = p.views[size_t(o.view)];
    Eigen::Vector3d c = view.rotation * p.points[size_t(o.point)];
    if (!options_.rotationOnly) c += view.translation;
    if (!p.rates.empty()) {
        const double late = p.readout * (o.pixel.y() / std::max(1, p.height - 1) - 0.5);
        const ViewRate::Move move = p.rates[size_t(o.view)].after(late);
        c = rotationBy(move.head<3>()) * c + move.tail<3>();
    }
    const double z = depthOf(c);
    const Intrinsics& lens = p.lenses[size_t(p.lensOfView[size_t(o.view)])];
    const double focal = p.focalOfView.empty() ? lens.focalPx : p.focalOfView[size_t(o.view)];
    const Eigen::Vector2d distorted = lens.lens.distort({c.x() / z, c.y() / z});
    return o.sqrtInformation * (Eigen::Vector2d(focal / lens.pixelAspect * distorted.x(), focal * distorted.y()) +
                                lens.principalPoint - o.pixel);
}

NormalEquations::Jacobian NormalEquations::jacobianOf(const BundleProblem& p, const BundleProblem::Observation& o,
                                                      bool all) const {
    Jacobian out;
    const View& view = p.views[size_t(o.view)];
    Eigen::Vector3d c = view.rotation * p.points[size_t(o.point)];
    if (!options_.rotationOnly) c += view.translation;
    const Eigen::Vector3d middle = c;  // as the middle row sees it
    Eigen::Matrix3d then = Eigen::Matrix3d::Identity();
    Eigen::Vector3d byReadout = Eigen::Vector3d::Zero();
    if (!p.rates.empty()) {
        const double share = o.pixel.y() / std::max(1, p.height - 1) - 0.5, late = p.readout * share;
        const ViewRate& rate = p.rates[size_t(o.view)];
        const ViewRate::Move move = rate.after(late), slope = rate.slope(late);
        then = rotationBy(move.head<3>());
        c = then * c + move.tail<3>();
        byReadout = share * (slope.head<3>().cross(c) + slope.tail<3>());
    }
    const double z = depthOf(c);
    const Eigen::Vector2d s(c.x() / z, c.y() / z);
    const Intrinsics& lens = p.lenses[size_t(p.lensOfView[size_t(o.view)])];
    const double focal = p.focalOfView.empty() ? lens.focalPx : p.focalOfView[size_t(o.view)];
    Eigen::Matrix2d slope;
    LensValueJacobian byValues;
    const bool lensNeeded = all && lensColumns_ > 0;
    const Eigen::Vector2d distorted =
        distortPoint(lens.lens.kind(), lens.lens.values(), s, &slope, lensNeeded ? &byValues : nullptr);
    const Eigen::Vector2d perUnit(focal / lens.pixelAspect, focal);
    out.residual = o.sqrtInformation * (perUnit.cwiseProduct(distorted) + lens.principalPoint - o.pixel);
    Eigen::Matrix<double, 2, 3> divide;
    divide << 1 / z, 0, -s.x() / z, 0, 1 / z, -s.y() / z;
    const Eigen::Matrix<double, 2, 3> byLate = o.sqrtInformation * (perUnit.asDiagonal() * slope * divide);
    const Eigen::Matrix<double, 2, 3> byCamera = byLate * then;
    out.byPoint = byCamera * view.rotation;
    if (!all) return out;
    if (viewFree_[size_t(o.view)]) {
        // A small turn w moves the camera point by w × c (what the translation adds to it is a change of the
        // translation).
        out.byCamera.leftCols<3>() = -byCamera * crossMatrix(middle);
        if (!options_.rotationOnly) out.byCamera.middleCols<3>(3) = byCamera;
    } else {
        out.byCamera.setZero();
    }
    if (ownFocal_) out.byCamera.col(viewSize_ - 1) = o.sqrtInformation * perUnit.cwiseProduct(distorted);
    for (int k = 0; k < lensColumns_; ++k) {
        Eigen::Vector2d raw;
        switch (solved_[size_t(k)]) {
            case LensValue::focal: raw = {distorted.x() / lens.pixelAspect, distorted.y()}; break;
            case LensValue::principalX: raw = {1, 0}; break;
            case LensValue::principalY: raw = {0, 1}; break;
            default: raw = perUnit.cwiseProduct(byValues.col(int(solved_[size_t(k)]) - int(LensValue::k1))); break;
        }
        out.byShared.col(k) = o.sqrtInformation * raw;
    }
    out.byShared.col(lensColumns_) = readoutAt_ < 0 ? Eigen::Vector2d::Zero() : Eigen::Vector2d(byLate * byReadout);
    return out;
}

double NormalEquations::zoomCurvature(const BundleProblem& p, int view, double* byFocal) const {
    const size_t v = size_t(view);
    const auto log = [&](size_t i) { return std::log(p.focalOfView[i]); };
    const double before = std::max(1e-3, p.timeOfView[v] - p.timeOfView[v - 1]),
                 after = std::max(1e-3, p.timeOfView[v + 1] - p.timeOfView[v]);
    const double weight = 1 / (options_.zoomWalk * std::sqrt((before + after) / 2));
    byFocal[0] = weight / before;
    byFocal[1] = -weight / before - weight / after;
    byFocal[2] = weight / after;
    return byFocal[0] * log(v - 1) + byFocal[1] * log(v) + byFocal[2] * log(v + 1);
}

double NormalEquations::priorCost(const BundleProblem& p) const {
    double sum = 0;
    const bool zoom = options_.solveZoom && !p.focalOfView.empty();
    for (const auto& prior : options_.priors) {
        const Intrinsics& lens = p.lenses[size_t(prior.lens)];
        double e = 0;
        if (prior.value == LensValue::focal) {
            const double focal = p.focalOfView.empty() ? lens.focalPx : p.focalOfView.front();
            e = (focal / prior.mean - 1) / prior.sigma;
        } else if (prior.value == LensValue::principalX) {
            e = (lens.principalPoint.x() - prior.mean) / prior.sigma;
        } else if (prior.value == LensValue::principalY) {
            e = (lens.principalPoint.y() - prior.mean) / prior.sigma;
        } else {
            e = (lens.lens.value(int(prior.value) - int(LensValue::k1)) - prior.mean) / prior.sigma;
        }
        sum += 0.5 * e * e;
    }
    if (zoom && options_.zoomWalk > 0)
        for (int v = 1; v + 1 < viewCount_; ++v) {
            double by[3];
            sum += 0.5 * std::pow(zoomCurvature(p, v, by), 2);
        }
    if (!options_.fixedPoints)
        for (const PointTie& t : p.ties) sum += 0.5 * tieResiduals(t, p.points).squaredNorm();
    return sum;
}

double NormalEquations::pointCost(const BundleProblem& p, int index) const {
    const Loss loss{options_.lossScale * options_.lossScale};
    LossSum sum(loss);
    for (int k = ofPoint_[size_t(index)].first; k < ofPoint_[size_t(index)].second; ++k)
        sum.add(residualOf(p, p.observations[size_t(order_[size_t(k)])]).squaredNorm());
    return sum.total();
}

/// Where a point comes to by a move. Along the ray from the middle view that sees it, it moves by its inverse depth:
/// with depth itself the cost of a far point is far from the parabola that the step was made for.
Eigen::Vector3d NormalEquations::along(const BundleProblem& p, int index, const Eigen::Vector3d& move) const {
    const auto [begin, end] = ofPoint_[size_t(index)];
    const Eigen::Vector3d& x = p.points[size_t(pointOrder_[size_t(index)])];
    if (options_.rotationOnly) return (x + move).normalized() * x.norm();
    const Eigen::Vector3d centre = p.views[size_t(viewOf_[size_t((begin + end) / 2)])].centre(), ray = x - centre;
    const double depth = ray.norm();
    if (!(depth > 0)) return x;
    const Eigen::Vector3d u = ray / depth;
    const double away = move.dot(u), stretch = 1 - away / depth;
    // Noise would have some points beyond infinity: they end up as far away as makes no difference.
    const double most = std::max(1.0, farthest_ / depth);
    return centre + (ray + move - away * u) * (stretch * most > 1 ? 1 / stretch : most);
}

double NormalEquations::settlePoint(BundleProblem& p, int index) const {
    const Loss loss{options_.lossScale * options_.lossScale};
    Eigen::Vector3d& x = p.points[size_t(pointOrder_[size_t(index)])];
    double cost = 0;
    for (int round = 0; round < 2; ++round) {
        Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
        Eigen::Vector3d gradient = Eigen::Vector3d::Zero();
        const Eigen::Matrix3d tangent = options_.rotationOnly ? tangentOf(x) : Eigen::Matrix3d::Identity();
        LossSum here(loss);
        for (int k = ofPoint_[size_t(index)].first; k < ofPoint_[size_t(index)].second; ++k) {
            const Jacobian s = jacobianOf(p, p.observations[size_t(order_[size_t(k)])], false);
            const double squared = s.residual.squaredNorm(), w = loss.weight(squared);
            const Eigen::Matrix<double, 2, 3> by = s.byPoint * tangent;
            normal.noalias() += w * by.transpose() * by;
            gradient.noalias() += w * by.transpose() * s.residual;
            here.add(squared);
        }
        if (round == 0) cost = here.total();
        normal.diagonal().array() += 1e-9 * normal.trace() + 1e-300;
        const Eigen::Vector3d move = tangent * normal.ldlt().solve(-gradient);
        if (!move.allFinite()) break;
        const Eigen::Vector3d before = x;
        x = along(p, index, move);
        const double next = pointCost(p, index);
        if (!(next < cost)) {
            x = before;
            break;
        }
        const bool small = cost - next < 1e-3 * cost;
        cost = next;
        if (small) break;
    }
    return cost;
}

double NormalEquations::settlePoints(BundleProblem& p) const {
    if (options_.fixedPoints) return cost(p);
    const Loss loss{options_.lossScale * options_.lossScale};
    std::vector<double> parts(pointOrder_.size(), 0);
    parallelRanges(int(parts.size()), 32, [&](int begin, int end) {
        for (int i = begin; i < end; ++i) parts[size_t(i)] = settlePoint(p, i);
    });
    double sum = std::accumulate(parts.begin(), parts.end(), 0.0) + priorCost(p);
    for (const int o : keptObservations_) sum += loss.cost(residualOf(p, p.observations[size_t(o)]).squaredNorm());
    return sum;
}

double NormalEquations::cost(const BundleProblem& p) const {
    const Loss loss{options_.lossScale * options_.lossScale};
    std::vector<double> parts(pointOrder_.size(), 0);
    parallelRanges(int(parts.size()), 64, [&](int begin, int end) {
        for (int i = begin; i < end; ++i) parts[size_t(i)] = pointCost(p, i);
    });
    double sum = std::accumulate(parts.begin(), parts.end(), 0.0) + priorCost(p);
    for (const int o : keptObservations_) sum += loss.cost(residualOf(p, p.observations[size_t(o)]).squaredNorm());
    return sum;
}

Eigen::Matrix3d NormalEquations::tangentOf(const Eigen::Vector3d& point) const {
    Eigen::Matrix3d t;
    const Eigen::Vector3d u = point.normalized();
    Eigen::Index smallest = 0;
    u.cwiseAbs().minCoeff(&smallest);
    t.col(0) = u.cross(Eigen::Vector3d::Unit(smallest)).normalized() * point.norm();
    t.col(1) = u.cross(t.col(0));
    t.col(2).setZero();
    return t;
}

}  // namespace va
