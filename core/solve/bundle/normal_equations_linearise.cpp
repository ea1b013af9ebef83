// SPDX-License-Identifier: GPL-3.0-or-later
// The normal equations at the problem as it stands.
#include "solve/bundle/normal_equations.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "base/parallel.h"
#include "solve/bundle/loss.h"

namespace va {

void NormalEquations::linearisePoint(const BundleProblem& p, int index, double& cost, double& weighed) {
    const Loss loss{options_.lossScale * options_.lossScale};
    Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
    Eigen::Vector3d gradient = Eigen::Vector3d::Zero();
    Eigen::Map<Eigen::MatrixXd> shared(pointShared_.data() + std::ptrdiff_t(index) * 3 * sharedSize_, sharedSize_, 3);
    shared.setZero();
    weighed = 0;
    LossSum sum(loss);
    const auto [begin, end] = ofPoint_[size_t(index)];
    const Eigen::Vector3d& place = p.points[size_t(pointOrder_[size_t(index)])];
    const Eigen::Vector3d centre = p.views[size_t(viewOf_[size_t((begin + end) / 2)])].centre();
    const bool direction = options_.rotationOnly || (place - centre).norm() > 0.98 * farthest_;
    pointTangent_[size_t(index)] =
        !direction ? Eigen::Matrix3d::Identity() : tangentOf(options_.rotationOnly ? place : (place - centre).eval());
    for (int k = begin; k < end; ++k) {
        const auto& o = p.observations[size_t(order_[size_t(k)])];
        Jacobian s = jacobianOf(p, o);
        const double squared = s.residual.squaredNorm();
        sum.add(squared);
        weighed += loss.weight(squared) * squared;
        const Eigen::Matrix2d by = loss.scale2 > 0 ? loss.correct(s.residual) : Eigen::Matrix2d::Identity();
        double *x = linear_.data() + std::ptrdiff_t(k) * 2 * linearHalf_, *y = x + linearHalf_;
        const auto keep = [&](int at, const auto& block) {
            for (Eigen::Index c = 0; c < block.cols(); ++c) {
                x[at + c] = by(0, 0) * block(0, c) + by(0, 1) * block(1, c);
                y[at + c] = by(1, 0) * block(0, c) + by(1, 1) * block(1, c);
            }
        };
        x[residualAt] = s.residual.x(), y[residualAt] = s.residual.y();
        keep(byCameraAt, s.byCamera.leftCols(viewSize_));
        keep(bySharedAt(), s.byShared.leftCols(lensColumns_ + 1));
        if (direction) {
            keep(byPointAt, s.byPoint);
            for (int c = 0; c < 3; ++c) s.byPoint(0, c) = x[byPointAt + c], s.byPoint(1, c) = y[byPointAt + c];
            s.byPoint = (s.byPoint * pointTangent_[size_t(index)]).eval();
            for (int c = 0; c < 3; ++c) x[byPointAt + c] = s.byPoint(0, c), y[byPointAt + c] = s.byPoint(1, c);
        } else {
            keep(byPointAt, s.byPoint);
        }
        for (int a = 0; a < 3; ++a) {
            for (int b = 0; b < 3; ++b)
                normal(a, b) += x[byPointAt + a] * x[byPointAt + b] + y[byPointAt + a] * y[byPointAt + b];
            gradient[a] += x[byPointAt + a] * x[residualAt] + y[byPointAt + a] * y[residualAt];
        }
        const int at = lensOf_[size_t(k)] * lensColumns_, from = bySharedAt();
        const auto addShared = [&](int row, int c) {
            for (int a = 0; a < 3; ++a) shared(row, a) += x[c] * x[byPointAt + a] + y[c] * y[byPointAt + a];
        };
        for (int c = 0; c < lensColumns_; ++c) addShared(at + c, from + c);
        if (readoutAt_ >= 0) addShared(readoutAt_, from + lensColumns_);
    }
    pointNormal_[size_t(index)] = normal;
    pointGradient_[size_t(index)] = gradient;
    cost = sum.total();
}

/// Also what is shared by all, against itself, as far as the view's observations say.
void NormalEquations::lineariseView(const BundleProblem& p, int view, Eigen::MatrixXd& sharedNormal,
                                    Eigen::VectorXd& sharedGradient) {
    constexpr int most = 1 + 7 + 3 + mostLensValues + 1;
    const int d = viewSize_, n = lensColumns_ + 1, lens = p.lensOfView[size_t(view)] * lensColumns_,
              columns = 4 * linearQuads();
    // Rows: by the view, by what is shared. Columns: the residual first.
    std::array<double, size_t(most) * (most + 3)> sums{};
    const std::vector<int>& pairs = byCamera_[size_t(view)];
    addPairProducts(sums.data(), linear(), pairs.data(), int(pairs.size()), byCameraAt, d + n, residualAt,
                    linearQuads());
    const auto sum = [&](int row, int column) { return sums[size_t(row * columns + 1 + column)]; };
    for (int a = 0; a < d; ++a) {
        for (int b = 0; b < d; ++b) viewNormal_(a, view * d + b) = sum(a, b);
        viewGradient_[view * d + a] = sum(a, -1);
        for (int b = 0; b < lensColumns_; ++b) borderView_(lens + b, view * d + a) = sum(a, d + b);
        if (readoutAt_ >= 0) borderView_(readoutAt_, view * d + a) = sum(a, d + lensColumns_);
    }
    sharedNormal.resize(n, n), sharedGradient.resize(n);
    for (int a = 0; a < n; ++a) {
        sharedGradient[a] = sum(d + a, -1);
        for (int b = 0; b < n; ++b) sharedNormal(a, b) = sum(d + a, d + b);
    }
}

double NormalEquations::lineariseKept(const BundleProblem& p) {
    const Loss loss{options_.lossScale * options_.lossScale};
    const int d = viewSize_;
    double cost = 0;
    for (const int i : keptObservations_) {
        const auto& o = p.observations[size_t(i)];
        Jacobian s = jacobianOf(p, o);
        const double squared = s.residual.squaredNorm();
        cost += loss.cost(squared);
        sumSquares_ += loss.weight(squared) * squared;
        const Eigen::Matrix2d weigh = loss.correct(s.residual);
        // All that this observation depends on, as columns with their positions in the border.
        const int lens = p.lensOfView[size_t(o.view)] * lensColumns_;
        Eigen::Matrix<double, 2, Eigen::Dynamic> by(2, lensColumns_ + 1 + 3);
        std::vector<int> at;
        for (int k = 0; k < lensColumns_; ++k)
            by.col(Eigen::Index(at.size())) = s.byShared.col(k), at.push_back(lens + k);
        if (readoutAt_ >= 0) by.col(Eigen::Index(at.size())) = s.byShared.col(lensColumns_), at.push_back(readoutAt_);
        for (int k = 0; k < 3; ++k)
            by.col(Eigen::Index(at.size())) = s.byPoint.col(k), at.push_back(keptAt_[size_t(o.point)] + k);
        by = (weigh * by).eval();
        const Eigen::Matrix<double, 2, Eigen::Dynamic> byCamera = weigh * s.byCamera.leftCols(d);
        const Eigen::Vector2d residual = s.residual;
        viewNormal_.middleCols(o.view * d, d) += byCamera.transpose() * byCamera;
        viewGradient_.segment(o.view * d, d) += byCamera.transpose() * residual;
        for (size_t a = 0; a < at.size(); ++a) {
            const Eigen::Vector2d column = by.col(Eigen::Index(a));
            borderGradient_[at[a]] += column.dot(residual);
            borderView_.block(at[a], o.view * d, 1, d) += column.transpose() * byCamera;
            for (size_t b = 0; b < at.size(); ++b) borderNormal_(at[a], at[b]) += column.dot(by.col(Eigen::Index(b)));
        }
    }
    return cost;
}

double NormalEquations::linearisePriors(const BundleProblem& p) {
    const int d = viewSize_;
    const bool zoom = options_.solveZoom && !p.focalOfView.empty();
    const auto onBorder = [&](int at, double e, double slope) {
        borderNormal_(at, at) += slope * slope;
        borderGradient_[at] += slope * e;
    };
    for (const auto& prior : options_.priors) {
        const Intrinsics& lens = p.lenses[size_t(prior.lens)];
        if (prior.value == LensValue::focal && zoom) {
            const double focal = p.focalOfView.front(), e = (focal / prior.mean - 1) / prior.sigma,
                         slope = focal / (prior.mean * prior.sigma);
            viewNormal_(d - 1, d - 1) += slope * slope;
            viewGradient_[d - 1] += slope * e;
            continue;
        }
        const auto found = std::find(solved_.begin(), solved_.end(), prior.value);
        if (found == solved_.end()) continue;
        const int at = prior.lens * lensColumns_ + int(found - solved_.begin());
        switch (prior.value) {
            case LensValue::focal:
                onBorder(at, (lens.focalPx / prior.mean - 1) / prior.sigma, 1 / (prior.mean * prior.sigma));
                break;
            case LensValue::principalX:
                onBorder(at, (lens.principalPoint.x() - prior.mean) / prior.sigma, 1 / prior.sigma);
                break;
            case LensValue::principalY:
                onBorder(at, (lens.principalPoint.y() - prior.mean) / prior.sigma, 1 / prior.sigma);
                break;
            default:
                onBorder(at, (lens.lens.value(int(prior.value) - int(LensValue::k1)) - prior.mean) / prior.sigma,
                         1 / prior.sigma);
                break;
        }
    }
    zoomEntries_.clear();
    if (zoom && options_.zoomWalk > 0)
        for (int v = 1; v + 1 < viewCount_; ++v) {
            double by[3];
            const double e = zoomCurvature(p, v, by);
            for (int a = 0; a < 3; ++a) {
                const int row = (v - 1 + a) * d + d - 1;
                viewNormal_(d - 1, row) += by[a] * by[a];
                viewGradient_[row] += by[a] * e;
                for (int b = 0; b < a; ++b) zoomEntries_.emplace_back(row, (v - 1 + b) * d + d - 1, by[a] * by[b]);
            }
        }
    if (options_.fixedPoints) return priorCost(p);
    for (const PointTie& t : p.ties) {
        const Eigen::VectorXd e = tieResiduals(t, p.points);
        const Eigen::MatrixXd jacobian = tieJacobian(t, p.points);
        for (size_t a = 0; a < t.points.size(); ++a) {
            const int rowAt = keptAt_[size_t(t.points[a])];
            const auto rows = jacobian.middleCols<3>(Eigen::Index(3 * a));
            borderGradient_.segment<3>(rowAt) += rows.transpose() * e;
            for (size_t b = 0; b < t.points.size(); ++b)
                borderNormal_.block<3, 3>(rowAt, keptAt_[size_t(t.points[b])]) +=
                    rows.transpose() * jacobian.middleCols<3>(Eigen::Index(3 * b));
        }
        sumSquares_ += e.squaredNorm();
        residualCount_ += e.size();
    }
    return priorCost(p);
}

double NormalEquations::linearise(const BundleProblem& p) {
    const double observed = lineariseObservations(p);
    return observed + linearisePriors(p);
}

double NormalEquations::linearisePart(const BundleProblem& p) {
    part_ = true;
    zoomEntries_.clear();
    return lineariseObservations(p);
}

double NormalEquations::lineariseObservations(const BundleProblem& p) {
    const int d = viewSize_;
    std::vector<double> parts(pointOrder_.size(), 0), weighed(pointOrder_.size(), 0);
    parallelRanges(int(parts.size()), 32, [&](int begin, int end) {
        for (int i = begin; i < end; ++i) linearisePoint(p, i, parts[size_t(i)], weighed[size_t(i)]);
    });
    viewNormal_.setZero(d, d * viewCount_);
    viewGradient_.setZero(d * viewCount_);
    borderView_.setZero(borderSize_, d * viewCount_);
    borderNormal_.setZero(borderSize_, borderSize_);
    borderGradient_.setZero(borderSize_);
    sumSquares_ = std::accumulate(weighed.begin(), weighed.end(), 0.0);
    residualCount_ = 2 * long(p.observations.size());
    // What is shared by all meets itself view by view, in order.
    const int n = lensColumns_ + 1;
    std::vector<Eigen::MatrixXd> sharedNormal(static_cast<size_t>(viewCount_));
    std::vector<Eigen::VectorXd> sharedGradient(static_cast<size_t>(viewCount_));
    parallelRanges(viewCount_, 4, [&](int begin, int end) {
        for (int v = begin; v < end; ++v) lineariseView(p, v, sharedNormal[size_t(v)], sharedGradient[size_t(v)]);
    });
    std::vector<int> at(static_cast<size_t>(n));
    for (int v = 0; v < viewCount_; ++v) {
        for (int k = 0; k < lensColumns_; ++k) at[size_t(k)] = p.lensOfView[size_t(v)] * lensColumns_ + k;
        at.back() = readoutAt_;
        for (int a = 0; a < n; ++a) {
            if (at[size_t(a)] < 0) continue;
            borderGradient_[at[size_t(a)]] += sharedGradient[size_t(v)][a];
            for (int b = 0; b < n; ++b)
                if (at[size_t(b)] >= 0) borderNormal_(at[size_t(a)], at[size_t(b)]) += sharedNormal[size_t(v)](a, b);
        }
    }
    unknownCount_ =
        borderSize_ + (options_.fixedPoints ? 0 : long(pointOrder_.size()) * (options_.rotationOnly ? 2 : 3));
    for (int v = 0; v < viewCount_; ++v) unknownCount_ += viewFree_[size_t(v)] ? d : int(ownFocal_);
    const double kept = lineariseKept(p);
    return std::accumulate(parts.begin(), parts.end(), 0.0) + kept;
}

}  // namespace va
