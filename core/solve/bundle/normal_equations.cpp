// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/bundle/normal_equations.h"

#include <Eigen/Cholesky>
#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "base/parallel.h"
#include "solve/bundle/rank_update.h"
#include "solve/minimal/resect.h"

namespace va {
namespace {

constexpr int batchPoints = 16;

Eigen::Matrix3d crossMatrix(const Eigen::Vector3d& v) {
    Eigen::Matrix3d m;
    m << 0, -v.z(), v.y(), v.z(), 0, -v.x(), -v.y(), v.x(), 0;
    return m;
}

/// Depth that a projection is divided by: a point in the camera's plane must not make numbers infinite.
double depthOf(const Eigen::Vector3d& camera) { return std::fabs(camera.z()) > 1e-9 ? camera.z() : 1e-9; }

}  // namespace

NormalEquations::NormalEquations(const BundleProblem& p, const BundleOptions& options) : options_(options) {
    const bool zoom = options.solveZoom && !p.focalOfView.empty();
    for (const LensValue v : options.solved)
        if (!(zoom && v == LensValue::focal)) solved_.push_back(v);
    viewSize_ = (options.rotationOnly ? 3 : 6) + (zoom ? 1 : 0);
    viewCount_ = int(p.views.size());
    lensColumns_ = int(solved_.size());
    sharedSize_ = lensColumns_ * int(p.lenses.size());
    if (options.solveReadout && !p.rates.empty()) readoutAt_ = sharedSize_++;
    linearSize_ = 2 + 6 + 2 * viewSize_ + 2 * (lensColumns_ + 1);
    viewFree_.assign(size_t(viewCount_), 1);
    for (size_t i = 0; i < options.fixedViews.size() && i < viewFree_.size(); ++i)
        viewFree_[i] = !options.fixedViews[i];
    Eigen::AlignedBox3d places;
    for (const View& v : p.views) places.extend(v.centre());
    // Two hundredths of a pixel of parallax over the whole path of the camera, for a lens of a thousand pixels.
    farthest_ = options.rotationOnly || p.views.empty() ? 0 : 5e4 * places.diagonal().norm();
    if (!(farthest_ > 0)) farthest_ = 1e12;
    layOutPoints(p);
    layOutBatches();
}

void NormalEquations::layOutPoints(const BundleProblem& p) {
    keptAt_.assign(p.points.size(), -1);
    borderSize_ = sharedSize_;
    if (!options_.fixedPoints)
        for (const PointTie& t : p.ties)
            for (const int i : t.points)
                if (keptAt_[size_t(i)] < 0) keptAt_[size_t(i)] = borderSize_, borderSize_ += 3;
    for (size_t i = 0; i < p.observations.size(); ++i)
        if (keptAt_[size_t(p.observations[i].point)] >= 0) keptObservations_.push_back(int(i));
        else order_.push_back(int(i));
    struct Span {
        int point, first, last;
    };
    std::vector<Span> spans(p.points.size());
    for (size_t i = 0; i < spans.size(); ++i) spans[i] = {int(i), viewCount_, -1};
    for (const int o : order_) {
        Span& s = spans[size_t(p.observations[size_t(o)].point)];
        s.first = std::min(s.first, p.observations[size_t(o)].view);
        s.last = std::max(s.last, p.observations[size_t(o)].view);
    }
    std::erase_if(spans, [](const Span& s) { return s.last < 0; });
    // Alike spans side by side, so that a batch of points makes one dense product.
    std::sort(spans.begin(), spans.end(), [](const Span& a, const Span& b) {
        return std::tuple(a.first / 4, a.last, a.first, a.point) < std::tuple(b.first / 4, b.last, b.first, b.point);
    });
    std::vector<int>& rank = rankOf_;
    rank.assign(p.points.size(), -1);
    for (const Span& s : spans) rank[size_t(s.point)] = int(pointOrder_.size()), pointOrder_.push_back(s.point);
    std::sort(order_.begin(), order_.end(), [&](int a, int b) {
        const auto &x = p.observations[size_t(a)], &y = p.observations[size_t(b)];
        return std::tuple(rank[size_t(x.point)], x.view, a) < std::tuple(rank[size_t(y.point)], y.view, b);
    });
    byCamera_.assign(size_t(viewCount_), {});
    ofPoint_.assign(pointOrder_.size(), {0, 0});
    for (int place = 0; place < int(order_.size()); ++place) {
        const auto& o = p.observations[size_t(order_[size_t(place)])];
        auto& range = ofPoint_[size_t(rank[size_t(o.point)])];
        if (range.second == 0) range.first = place;
        range.second = place + 1;
        byCamera_[size_t(o.view)].push_back(place);
        viewOf_.push_back(o.view);
        lensOf_.push_back(p.lensOfView[size_t(o.view)]);
    }
    linear_.resize(order_.size() * size_t(linearSize_));
    pointNormal_.resize(pointOrder_.size());
    pointGradient_.resize(pointOrder_.size());
    pointShared_.resize(pointOrder_.size() * size_t(3 * sharedSize_));
    pointFactor_.resize(pointOrder_.size());
    pointRight_.resize(pointOrder_.size());
    pointTangent_.resize(pointOrder_.size());
}

void NormalEquations::layOutBatches() {
    const int d = viewSize_;
    std::vector<int> reach(size_t(viewCount_) * size_t(d));
    for (int v = 0; v < viewCount_; ++v)
        for (int k = 0; k < d; ++k) {
            // Priors on a zoom tie three views that follow each other.
            const int last = options_.solveZoom ? std::min(viewCount_ - 1, v + 2) : v;
            reach[size_t(v * d + k)] = last * d + d - 1;
        }
    if (!options_.fixedPoints) {
        for (int i = 0; i < int(pointOrder_.size()); ++i) {
            const int first = viewOf_[size_t(ofPoint_[size_t(i)].first)],
                      last = viewOf_[size_t(ofPoint_[size_t(i)].second - 1)];
            const bool fits = !batches_.empty() && i - batches_.back().first < batchPoints && [&] {
                const Batch& b = batches_.back();
                const int together = std::max(b.lastView, last) - std::min(b.firstView, first) + 1;
                return together * 2 <= (last - first + 1) * 3 + 8;
            }();
            if (!fits) batches_.push_back({i, i, first, last, {}, {}});
            Batch& b = batches_.back();
            b.last = i + 1;
            b.firstView = std::min(b.firstView, first);
            b.lastView = std::max(b.lastView, last);
        }
        for (Batch& b : batches_) {
            int& farthest = reach[size_t(b.firstView * d)];
            farthest = std::max(farthest, b.lastView * d + d - 1);
        }
    }
    band_ = BandMatrix(std::move(reach));
}

Eigen::Vector2d NormalEquations::residualOf(const BundleProblem& p, const BundleProblem::Observation& o) const {
    const View& view = p.views[size_t(o.view)];
    Eigen::Vector3d c = view.rotation * p.points[size_t(o.point)];
    if (!options_.rotationOnly) c += view.shift;
    if (!p.rates.empty()) {
        const double late = p.readout * (o.pixel.y() / std::max(1, p.height - 1) - 0.5);
        const ViewRate::Move move = p.rates[size_t(o.view)].after(late);
        const View then = moved({Eigen::Matrix3d::Identity(), c}, move.head<3>(), move.tail<3>());
        c = then.shift;
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
    if (!options_.rotationOnly) c += view.shift;
    const Eigen::Vector3d middle = c;  // as the middle row sees it
    Eigen::Matrix3d then = Eigen::Matrix3d::Identity();
    Eigen::Vector3d byReadout = Eigen::Vector3d::Zero();
    if (!p.rates.empty()) {
        const double share = o.pixel.y() / std::max(1, p.height - 1) - 0.5, late = p.readout * share;
        const ViewRate& rate = p.rates[size_t(o.view)];
        const ViewRate::Move move = rate.after(late), slope = rate.slope(late);
        const View row = moved({Eigen::Matrix3d::Identity(), c}, move.head<3>(), move.tail<3>());
        then = row.rotation;
        c = row.shift;
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
        // A small turn w moves the camera point by w × c (what the shift adds to it is a change of the shift).
        out.byCamera.leftCols<3>() = -byCamera * crossMatrix(middle);
        if (!options_.rotationOnly) out.byCamera.middleCols<3>(3) = byCamera;
    } else {
        out.byCamera.setZero();
    }
    if (viewSize_ % 3 == 1) out.byCamera.col(viewSize_ - 1) = o.sqrtInformation * perUnit.cwiseProduct(distorted);
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

double NormalEquations::zoomDistortion(const BundleProblem& p, int view, double* byFocal) const {
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
            sum += 0.5 * std::pow(zoomDistortion(p, v, by), 2);
        }
    if (!options_.fixedPoints)
        for (const PointTie& t : p.ties) sum += 0.5 * tieResiduals(t, p.points).squaredNorm();
    return sum;
}

namespace {

/// Cauchy's loss, ½ b² log(1 + s / b²), and what it does to a residual and its derivatives.
struct Loss {
    double scale2;
    [[nodiscard]] double cost(double s) const { return scale2 > 0 ? 0.5 * scale2 * std::log1p(s / scale2) : 0.5 * s; }
    [[nodiscard]] double weight(double s) const { return scale2 > 0 ? 1 / (1 + s / scale2) : 1; }

    /// What derivatives are to be multiplied with. Along the residual the loss curves less than its weight says (Triggs
    /// et al. 1999, section 4.3): without that, steps are too short. It is trusted for what agrees with the rest only,
    /// and for half of the curvature at most. The residual is changed so that the gradient stays right.
    [[nodiscard]] Eigen::Matrix2d correct(Eigen::Vector2d& residual) const {
        const double s = residual.squaredNorm(), root = std::sqrt(weight(s));
        if (scale2 <= 0 || s < 1e-12) return Eigen::Matrix2d::Identity() * root;
        const double less = s < scale2 ? std::min(0.5, 2 * s / (scale2 + s)) : 0.0, along = std::sqrt(1 - less);
        const Eigen::Matrix2d jacobian =
            root * (Eigen::Matrix2d::Identity() + (along - 1) / s * residual * residual.transpose());
        residual *= root / along;
        return jacobian;
    }
};

}  // namespace

double NormalEquations::pointCost(const BundleProblem& p, int index) const {
    const Loss loss{options_.lossScale * options_.lossScale};
    double sum = 0;
    for (int k = ofPoint_[size_t(index)].first; k < ofPoint_[size_t(index)].second; ++k)
        sum += loss.cost(residualOf(p, p.observations[size_t(order_[size_t(k)])]).squaredNorm());
    return sum;
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
    double cost = pointCost(p, index);
    for (int round = 0; round < 2; ++round) {
        Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
        Eigen::Vector3d gradient = Eigen::Vector3d::Zero();
        const Eigen::Matrix3d tangent = options_.rotationOnly ? tangentOf(x) : Eigen::Matrix3d::Identity();
        for (int k = ofPoint_[size_t(index)].first; k < ofPoint_[size_t(index)].second; ++k) {
            const Jacobian s = jacobianOf(p, p.observations[size_t(order_[size_t(k)])], false);
            const double w = loss.weight(s.residual.squaredNorm());
            const Eigen::Matrix<double, 2, 3> by = s.byPoint * tangent;
            normal.noalias() += w * by.transpose() * by;
            gradient.noalias() += w * by.transpose() * s.residual;
        }
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

void NormalEquations::linearisePoint(const BundleProblem& p, int index, double& cost, double& weighed) {
    const Loss loss{options_.lossScale * options_.lossScale};
    Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
    Eigen::Vector3d gradient = Eigen::Vector3d::Zero();
    Eigen::Map<Eigen::MatrixXd> shared(pointShared_.data() + std::ptrdiff_t(index) * 3 * sharedSize_, sharedSize_, 3);
    shared.setZero();
    cost = weighed = 0;
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
        cost += loss.cost(squared);
        weighed += loss.weight(squared) * squared;
        if (loss.scale2 > 0) {
            const Eigen::Matrix2d by = loss.correct(s.residual);
            s.byPoint = (by * s.byPoint).eval();
            s.byCamera.leftCols(viewSize_) = (by * s.byCamera.leftCols(viewSize_)).eval();
            s.byShared.leftCols(lensColumns_ + 1) = (by * s.byShared.leftCols(lensColumns_ + 1)).eval();
        }
        if (direction) s.byPoint = (s.byPoint * pointTangent_[size_t(index)]).eval();
        double* out = linearOf(k);
        const auto keep = [&out](const auto& block) {
            for (Eigen::Index c = 0; c < block.cols(); ++c) *out++ = block(0, c), *out++ = block(1, c);
        };
        keep(s.residual);
        keep(s.byPoint);
        keep(s.byCamera.leftCols(viewSize_));
        keep(s.byShared.leftCols(lensColumns_ + 1));
        normal.noalias() += s.byPoint.transpose() * s.byPoint;
        gradient.noalias() += s.byPoint.transpose() * s.residual;
        const int at = lensOf_[size_t(k)] * lensColumns_;
        for (int c = 0; c < lensColumns_; ++c) shared.row(at + c) += s.byShared.col(c).transpose() * s.byPoint;
        if (readoutAt_ >= 0) shared.row(readoutAt_) += s.byShared.col(lensColumns_).transpose() * s.byPoint;
    }
    pointNormal_[size_t(index)] = normal;
    pointGradient_[size_t(index)] = gradient;
}

void NormalEquations::lineariseView(const BundleProblem& p, int view) {
    using Wide = Eigen::Map<const Eigen::Matrix<double, 2, Eigen::Dynamic>>;
    const int d = viewSize_, lens = p.lensOfView[size_t(view)] * lensColumns_;
    Eigen::Matrix<double, 7, 7> normal = Eigen::Matrix<double, 7, 7>::Zero();
    Eigen::Matrix<double, 7, 1> gradient = Eigen::Matrix<double, 7, 1>::Zero();
    Eigen::MatrixXd cross = Eigen::MatrixXd::Zero(lensColumns_ + 1, d);
    for (const int k : byCamera_[size_t(view)]) {
        const double* in = linearOf(k);
        const Eigen::Map<const Eigen::Vector2d> residual(in);
        const Wide byCamera(in + 8, 2, d), byShared(in + 8 + 2 * d, 2, lensColumns_ + 1);
        for (int a = 0; a < d; ++a) {
            for (int b = 0; b <= a; ++b) normal(a, b) += byCamera.col(a).dot(byCamera.col(b));
            gradient[a] += byCamera.col(a).dot(residual);
            for (int b = 0; b <= lensColumns_; ++b) cross(b, a) += byCamera.col(a).dot(byShared.col(b));
        }
    }
    viewNormal_.middleCols(view * d, d) = normal.topLeftCorner(d, d).selfadjointView<Eigen::Lower>();
    viewGradient_.segment(view * d, d) = gradient.head(d);
    borderView_.block(lens, view * d, lensColumns_, d) = cross.topRows(lensColumns_);
    if (readoutAt_ >= 0) borderView_.block(readoutAt_, view * d, 1, d) = cross.bottomRows(1);
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
        // All that this observation depends on, as columns with their places in the border.
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
            const double e = zoomDistortion(p, v, by);
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
        for (int v = begin; v < end; ++v) {
            lineariseView(p, v);
            Eigen::MatrixXd& normal = sharedNormal[size_t(v)];
            Eigen::VectorXd& gradient = sharedGradient[size_t(v)];
            normal.setZero(n, n), gradient.setZero(n);
            for (const int k : byCamera_[size_t(v)]) {
                const double* in = linearOf(k);
                const double* by = in + 8 + 2 * d;
                for (int a = 0; a < n; ++a) {
                    gradient[a] += by[2 * a] * in[0] + by[2 * a + 1] * in[1];
                    for (int b = 0; b < n; ++b) normal(a, b) += by[2 * a] * by[2 * b] + by[2 * a + 1] * by[2 * b + 1];
                }
            }
        }
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
    for (int v = 0; v < viewCount_; ++v) unknownCount_ += viewFree_[size_t(v)] ? d : viewSize_ % 3;
    const double kept = lineariseKept(p);
    return std::accumulate(parts.begin(), parts.end(), 0.0) + kept + linearisePriors(p);
}

double NormalEquations::damped(double diagonal, double damping) const {
    // What nothing depends on stays where it is.
    return diagonal > 0 ? diagonal + damping * std::max(diagonal, 1e-12) : 1;
}

void NormalEquations::fillBatch(Batch& batch, double damping) {
    const int d = viewSize_, depth = 3 * (batch.last - batch.first);
    batch.product.reset(depth, (batch.lastView - batch.firstView + 1) * d);
    batch.shared.assign(size_t(depth) * size_t(sharedSize_), 0.0);
    for (int i = batch.first; i < batch.last; ++i) {
        Eigen::Matrix3d normal = pointNormal_[size_t(i)];
        const double trace = normal.trace();
        for (int k = 0; k < 3; ++k) normal(k, k) = damped(normal(k, k), damping) + 1e-14 * trace;
        Eigen::LLT<Eigen::Matrix3d> llt(normal);
        if (llt.info() != Eigen::Success) {
            normal.diagonal().array() += 1e-6 * trace + 1e-30;
            llt.compute(normal);
        }
        Eigen::Matrix3d l = llt.matrixL();
        pointFactor_[size_t(i)] = l;
        pointRight_[size_t(i)] = l.triangularView<Eigen::Lower>().solve(-pointGradient_[size_t(i)]);
        const int row = 3 * (i - batch.first);
        /// One column of L⁻¹ Wᵀ.
        const auto column = [&l](double w0, double w1, double w2) {
            const double y0 = w0 / l(0, 0), y1 = (w1 - l(1, 0) * y0) / l(1, 1);
            return Eigen::Vector3d(y0, y1, (w2 - l(2, 0) * y0 - l(2, 1) * y1) / l(2, 2));
        };
        const auto [begin, end] = ofPoint_[size_t(i)];
        for (int k = begin; k < end; ++k) {
            const double *byPoint = linearOf(k) + 2, *byCamera = byPoint + 6;
            const int at = (viewOf_[size_t(k)] - batch.firstView) * d;
            for (int a = 0; a < d; ++a) {
                const double x = byCamera[2 * a], y = byCamera[2 * a + 1];
                const Eigen::Vector3d c = column(x * byPoint[0] + y * byPoint[1], x * byPoint[2] + y * byPoint[3],
                                                 x * byPoint[4] + y * byPoint[5]);
                for (int k3 = 0; k3 < 3; ++k3) batch.product.at(row + k3, at + a) += c[k3];
            }
        }
        const double* shared = pointShared_.data() + std::ptrdiff_t(i) * 3 * sharedSize_;
        for (int b = 0; b < sharedSize_; ++b) {
            const Eigen::Vector3d c = column(shared[b], shared[sharedSize_ + b], shared[2 * sharedSize_ + b]);
            for (int k3 = 0; k3 < 3; ++k3) batch.shared[size_t((row + k3) * sharedSize_ + b)] = c[k3];
        }
    }
}

/// Rows of the band, of the right-hand side and of the border that belong to some views.
void NormalEquations::gatherViews(int begin, int end, double damping) {
    const int d = viewSize_;
    for (int v = begin; v < end; ++v)
        for (int a = 0; a < d; ++a) {
            const int row = v * d + a;
            for (int b = 0; b < a; ++b) band_.at(row, v * d + b) = viewNormal_(a, row - a + b);
            band_.at(row, row) = damped(viewNormal_(a, row), damping);
            right_[row] = -viewGradient_[row];
            cross_.row(row) = borderView_.col(row);
        }
    for (const Batch& batch : batches_) {
        const int first = std::max(begin, batch.firstView), last = std::min(end, batch.lastView + 1);
        if (first >= last) continue;
        const int offset = batch.firstView * d;
        subtractProduct(band_.block(offset, offset), band_.rowStep(), batch.product, first * d - offset,
                        last * d - offset);
        for (int row = first * d; row < last * d; ++row) {
            double right = 0;
            Eigen::VectorXd cross = Eigen::VectorXd::Zero(sharedSize_);
            for (int k = 0; k < batch.product.rows(); ++k) {
                const double y = batch.product.at(k, row - offset);
                if (y == 0) continue;
                right += y * pointRight_[size_t(batch.first + k / 3)][k % 3];
                for (int b = 0; b < sharedSize_; ++b) cross[b] += y * batch.shared[size_t(k * sharedSize_ + b)];
            }
            right_[row] -= right;
            cross_.row(row).head(sharedSize_) -= cross;
        }
    }
}

bool NormalEquations::reduce(double damping) {
    const int d = viewSize_;
    parallelRanges(int(batches_.size()), 1, [&](int begin, int end) {
        for (int i = begin; i < end; ++i) fillBatch(batches_[size_t(i)], damping);
    });
    band_.setZero();
    right_.resize(d * viewCount_);
    cross_.resize(d * viewCount_, borderSize_);
    parallelRanges((viewCount_ + 7) / 8, 1, [&](int begin, int end) {
        for (int i = begin; i < end; ++i) gatherViews(8 * i, std::min(viewCount_, 8 * i + 8), damping);
    });
    for (const auto& [row, column, value] : zoomEntries_) band_.at(row, column) += value;
    corner_ = borderNormal_;
    for (int b = 0; b < borderSize_; ++b) corner_(b, b) = damped(corner_(b, b), damping);
    cornerRight_ = -borderGradient_;
    for (const Batch& batch : batches_) {
        for (int k = 0; k < batch.product.rows(); ++k) {
            const Eigen::Map<const Eigen::VectorXd> y(batch.shared.data() + k * sharedSize_, sharedSize_);
            corner_.topLeftCorner(sharedSize_, sharedSize_).noalias() -= y * y.transpose();
            cornerRight_.head(sharedSize_) -= y * pointRight_[size_t(batch.first + k / 3)][k % 3];
        }
    }
    if (!band_.factor()) return false;
    if (borderSize_ == 0) return true;
    band_.solveLower(cross_);
    corner_.noalias() -= cross_.transpose() * cross_;
    return true;
}

bool NormalEquations::solve(double damping, BundleStep& step) {
    if (!reduce(damping)) return false;
    const int d = viewSize_;
    Eigen::MatrixXd x = right_;
    band_.solveLower(x);
    step.border.resize(borderSize_);
    if (borderSize_ > 0) {
        const Eigen::LDLT<Eigen::MatrixXd> ldlt(corner_);
        if (ldlt.info() != Eigen::Success) return false;
        step.border = ldlt.solve(cornerRight_ - cross_.transpose() * x);
        x -= cross_ * step.border;
    }
    band_.solveUpper(x);
    step.views = x;
    if (!step.views.allFinite() || !step.border.allFinite()) return false;
    step.points.assign(keptAt_.size(), Eigen::Vector3d::Zero());
    step.camerasGain = 0.5 * step.views.dot(right_) + 0.5 * step.border.dot(cornerRight_);
    double slope = step.views.dot(viewGradient_) + step.border.dot(borderGradient_), stiff = 0;
    const auto damp = [&](double diagonal) { return damped(diagonal, damping) - diagonal; };
    for (int v = 0; v < viewCount_; ++v)
        for (int a = 0; a < d; ++a)
            stiff += damp(viewNormal_(a, v * d + a)) * step.views[v * d + a] * step.views[v * d + a];
    for (int b = 0; b < borderSize_; ++b) stiff += damp(borderNormal_(b, b)) * step.border[b] * step.border[b];
    for (const Batch& batch : batches_) {
        for (int i = batch.first; i < batch.last; ++i) {
            Eigen::Vector3d y = pointRight_[size_t(i)];
            const auto [begin, end] = ofPoint_[size_t(i)];
            for (int k = 0; k < 3; ++k) {
                const int row = 3 * (i - batch.first) + k;
                for (int o = begin; o < end; ++o) {
                    const int view = viewOf_[size_t(o)];
                    // Seen twice in a view: counted already.
                    if (o > begin && viewOf_[size_t(o) - 1] == view) continue;
                    for (int a = 0; a < d; ++a)
                        y[k] -= batch.product.at(row, (view - batch.firstView) * d + a) * step.views[view * d + a];
                }
                for (int b = 0; b < sharedSize_; ++b)
                    y[k] -= batch.shared[size_t(row * sharedSize_ + b)] * step.border[b];
            }
            const Eigen::Vector3d move = pointFactor_[size_t(i)].transpose().triangularView<Eigen::Upper>().solve(y);
            slope += move.dot(pointGradient_[size_t(i)]);
            for (int k = 0; k < 3; ++k) stiff += damp(pointNormal_[size_t(i)](k, k)) * move[k] * move[k];
            step.points[size_t(pointOrder_[size_t(i)])] = pointTangent_[size_t(i)] * move;
        }
    }
    for (size_t i = 0; i < keptAt_.size(); ++i)
        if (keptAt_[i] >= 0) step.points[i] = step.border.segment<3>(keptAt_[i]);
    step.gain = -0.5 * slope + 0.5 * stiff;
    return std::isfinite(step.gain);
}

void NormalEquations::apply(const BundleStep& step, BundleProblem& p) const {
    const int d = viewSize_;
    // First the points: their rays are those of the views as they were.
    if (!options_.fixedPoints)
        for (int i = 0; i < int(pointOrder_.size()); ++i) {
            const size_t point = size_t(pointOrder_[size_t(i)]);
            p.points[point] = along(p, i, step.points[point]);
        }
    for (int v = 0; v < viewCount_; ++v) {
        if (viewFree_[size_t(v)]) {
            View& view = p.views[size_t(v)];
            const Eigen::Vector3d shift = view.shift;
            view = moved(
                view, step.views.segment<3>(v * d),
                options_.rotationOnly ? Eigen::Vector3d::Zero() : Eigen::Vector3d(step.views.segment<3>(v * d + 3)));
            if (options_.rotationOnly) view.shift = shift;
        }
        if (d % 3 == 1) p.focalOfView[size_t(v)] *= std::exp(std::clamp(step.views[v * d + d - 1], -0.7, 0.7));
    }
    for (size_t l = 0; l < p.lenses.size(); ++l)
        for (int k = 0; k < lensColumns_; ++k) {
            const double change = step.border[Eigen::Index(l) * lensColumns_ + k];
            Intrinsics& lens = p.lenses[l];
            switch (solved_[size_t(k)]) {
                // Half or double at most in one step: a negative focal length is a mirror.
                case LensValue::focal:
                    lens.focalPx = std::clamp(lens.focalPx + change, 0.5 * lens.focalPx, 2 * lens.focalPx);
                    break;
                case LensValue::principalX: lens.principalPoint.x() += change; break;
                case LensValue::principalY: lens.principalPoint.y() += change; break;
                default: {
                    std::array<double, mostLensValues> values{};
                    std::copy_n(lens.lens.values(), lens.lens.count(), values.begin());
                    const size_t at = size_t(solved_[size_t(k)]) - size_t(LensValue::k1);
                    values[at] += change;
                    lens.lens.setValues(values.data());
                    break;
                }
            }
        }
    if (readoutAt_ >= 0) p.readout = std::clamp(p.readout + step.border[readoutAt_], -1.0, 1.0);
    for (size_t i = 0; i < p.points.size(); ++i)
        if (keptAt_[i] >= 0) p.points[i] += step.points[i];
}

bool NormalEquations::factorForCovariance() { return reduce(1e-11); }

Eigen::MatrixXd NormalEquations::covariance(const std::vector<int>& views) const {
    const int d = viewSize_;
    const Eigen::Index n = d * Eigen::Index(views.size()), size = n + borderSize_;
    // Columns of the inverse by forward substitution: Σ = Zᵀ Z with Z = L⁻¹ of unit columns, border and all.
    Eigen::MatrixXd z = Eigen::MatrixXd::Zero(d * viewCount_, n);
    for (size_t i = 0; i < views.size(); ++i)
        // What is held has no variance.
        for (int a = viewFree_[size_t(views[i])] ? 0 : d - d % 3; a < d; ++a)
            z(views[i] * d + a, Eigen::Index(i) * d + a) = 1;
    parallelRanges(int(n), 4, [&](int begin, int end) { band_.solveLower(z.middleCols(begin, end - begin)); });
    Eigen::MatrixXd out = Eigen::MatrixXd::Zero(size, size);
    out.topLeftCorner(n, n).noalias() = z.transpose() * z;
    if (borderSize_ == 0) return out;
    const Eigen::MatrixXd corner = corner_.ldlt().solve(Eigen::MatrixXd::Identity(borderSize_, borderSize_));
    // −(L⁻ᵀ L⁻¹ E) C⁻¹ are the views' rows against the border.
    const Eigen::MatrixXd across = z.transpose() * cross_;
    out.topRightCorner(n, borderSize_) = -across * corner;
    out.bottomLeftCorner(borderSize_, n) = out.topRightCorner(n, borderSize_).transpose();
    out.topLeftCorner(n, n) += across * corner * across.transpose();
    out.bottomRightCorner(borderSize_, borderSize_) = corner;
    return out;
}

Eigen::Matrix3d NormalEquations::pointCovariance(const Eigen::MatrixXd& joint, int point) const {
    const int d = viewSize_, index = rankOf_[size_t(point)];
    const Eigen::Index border = d * Eigen::Index(viewCount_);
    if (keptAt_[size_t(point)] >= 0)
        return joint.block<3, 3>(border + keptAt_[size_t(point)], border + keptAt_[size_t(point)]);
    if (index < 0 || options_.fixedPoints) return Eigen::Matrix3d::Zero();
    // A change of views and lens moves the point by −M⁻¹ Wᵀ times it.
    const auto [begin, end] = ofPoint_[size_t(index)];
    std::vector<Eigen::Index> at;
    Eigen::Matrix<double, 3, Eigen::Dynamic> w(3, d * Eigen::Index(end - begin) + sharedSize_);
    for (int k = begin; k < end; ++k) {
        const Eigen::Map<const Eigen::Matrix<double, 2, 3>> byPoint(linearOf(k) + 2);
        const Eigen::Map<const Eigen::Matrix<double, 2, Eigen::Dynamic>> byCamera(linearOf(k) + 8, 2, d);
        w.middleCols(Eigen::Index(at.size()), d) = byPoint.transpose() * byCamera;
        for (int a = 0; a < d; ++a) at.push_back(Eigen::Index(viewOf_[size_t(k)]) * d + a);
    }
    const Eigen::Map<const Eigen::MatrixXd> shared(pointShared_.data() + std::ptrdiff_t(index) * 3 * sharedSize_,
                                                   sharedSize_, 3);
    w.rightCols(sharedSize_) = shared.transpose();
    for (int b = 0; b < sharedSize_; ++b) at.push_back(border + b);
    Eigen::MatrixXd of(at.size(), at.size());
    for (size_t i = 0; i < at.size(); ++i)
        for (size_t j = 0; j < at.size(); ++j) of(Eigen::Index(i), Eigen::Index(j)) = joint(at[i], at[j]);
    const Eigen::Matrix3d l = pointFactor_[size_t(index)];
    const Eigen::Matrix3d half = l.triangularView<Eigen::Lower>().solve(Eigen::Matrix3d::Identity());
    const Eigen::Matrix3d inverse = half.transpose() * half;
    const Eigen::Matrix3d out = inverse + inverse * (w * of * w.transpose()) * inverse;
    return pointTangent_[size_t(index)] * out * pointTangent_[size_t(index)].transpose();
}

}  // namespace va
