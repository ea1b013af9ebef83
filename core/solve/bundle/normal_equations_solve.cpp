// SPDX-License-Identifier: GPL-3.0-or-later
// Points taken out, the band of views and the border solved, the step taken.
#include "solve/bundle/normal_equations.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <array>
#include <cmath>

#include "base/parallel.h"
#include "solve/bundle/rank_update.h"
#include "solve/minimal/resect.h"

namespace va {

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
        const std::array<double, 6> lower{l(0, 0), l(1, 0), l(1, 1), l(2, 0), l(2, 1), l(2, 2)};
        const auto [begin, end] = ofPoint_[size_t(i)];
        takeOutPoint(batch.product, row, lower.data(), linear(), begin, end, byPointAt, byCameraAt, d, viewOf_.data(),
                     batch.firstView);
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
    std::vector<double> sums;
    for (int v = begin; v < end; ++v)
        for (int a = 0; a < d; ++a) {
            const int row = v * d + a;
            for (int b = 0; b < a; ++b) reduced_.band.at(row, v * d + b) = viewNormal_(a, row - a + b);
            reduced_.band.at(row, row) = part_ ? viewNormal_(a, row) : damped(viewNormal_(a, row), damping);
            reduced_.right[row] = -viewGradient_[row];
            reduced_.cross.row(row) = borderView_.col(row);
        }
    for (const Batch& batch : batches_) {
        const int first = std::max(begin, batch.firstView), last = std::min(end, batch.lastView + 1);
        if (first >= last) continue;
        const int offset = batch.firstView * d;
        subtractProduct(reduced_.band.block(offset, offset), reduced_.band.rowStep(), batch.product, first * d - offset,
                        last * d - offset);
        // Eight rows side by side.
        constexpr int wide = PackedRows::wide;
        const int from = first * d - offset, to = last * d - offset, depth = batch.product.rows();
        sums.resize(size_t(wide) * size_t(1 + sharedSize_));
        for (int block = from / wide; block * wide < to; ++block) {
            const double* eight = batch.product.data() + std::ptrdiff_t(block) * depth * wide;
            sumColumns(sums.data(), eight, depth, pointRight_[size_t(batch.first)].data(), 1, 1);
            sumColumns(sums.data() + wide, eight, depth, batch.shared.data(), sharedSize_, sharedSize_);
            for (int lane = std::max(0, from - block * wide); lane < std::min(wide, to - block * wide); ++lane) {
                const int row = offset + block * wide + lane;
                reduced_.right[row] -= sums[size_t(lane)];
                for (int b = 0; b < sharedSize_; ++b) reduced_.cross(row, b) -= sums[size_t(wide * (1 + b) + lane)];
            }
        }
    }
}

void NormalEquations::gather(double damping) {
    // The damping of views and border is the whole's, not a part's.
    const int d = viewSize_;
    parallelRanges(int(batches_.size()), 1, [&](int begin, int end) {
        for (int i = begin; i < end; ++i) fillBatch(batches_[size_t(i)], damping);
    });
    reduced_.band.setZero();
    reduced_.right.resize(d * viewCount_);
    reduced_.cross.resize(d * viewCount_, borderSize_);
    parallelRanges((viewCount_ + 7) / 8, 1, [&](int begin, int end) {
        for (int i = begin; i < end; ++i) gatherViews(8 * i, std::min(viewCount_, 8 * i + 8), damping);
    });
    for (const auto& [row, column, value] : zoomEntries_) reduced_.band.at(row, column) += value;
    reduced_.corner = borderNormal_;
    for (int b = 0; b < borderSize_ && !part_; ++b) reduced_.corner(b, b) = damped(reduced_.corner(b, b), damping);
    reduced_.cornerRight = -borderGradient_;
    for (const Batch& batch : batches_) {
        for (int k = 0; k < batch.product.rows(); ++k) {
            const Eigen::Map<const Eigen::VectorXd> y(batch.shared.data() + k * sharedSize_, sharedSize_);
            reduced_.corner.topLeftCorner(sharedSize_, sharedSize_).noalias() -= y * y.transpose();
            reduced_.cornerRight.head(sharedSize_) -= y * pointRight_[size_t(batch.first + k / 3)][k % 3];
        }
    }
}

bool NormalEquations::reduce(double damping) {
    gather(damping);
    return reduced_.factor();
}

bool NormalEquations::solveWithout(const NormalEquations& part, Eigen::VectorXd& views, Eigen::VectorXd& border) const {
    BorderedBand rest = reduced_;
    rest.subtract(part.reduced_);
    return rest.factor() && rest.solve(views, border);
}

/// The moves of a batch's points, once those of views and border are known. Gives what they add to the slope of the cost
/// and to what the damping costs.
std::array<double, 2> NormalEquations::solvePoints(const Batch& batch, double damping, BundleStep& step) const {
    const int d = viewSize_;
    double slope = 0, stiff = 0;
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
            for (int b = 0; b < sharedSize_; ++b) y[k] -= batch.shared[size_t(row * sharedSize_ + b)] * step.border[b];
        }
        const Eigen::Vector3d move = pointFactor_[size_t(i)].transpose().triangularView<Eigen::Upper>().solve(y);
        slope += move.dot(pointGradient_[size_t(i)]);
        for (int k = 0; k < 3; ++k) {
            const double diagonal = pointNormal_[size_t(i)](k, k);
            stiff += (damped(diagonal, damping) - diagonal) * move[k] * move[k];
        }
        step.points[size_t(pointOrder_[size_t(i)])] = pointTangent_[size_t(i)] * move;
    }
    return {slope, stiff};
}

bool NormalEquations::solve(double damping, BundleStep& step) {
    if (!reduce(damping) || !reduced_.solve(step.views, step.border)) return false;
    const int d = viewSize_;
    step.points.assign(keptAt_.size(), Eigen::Vector3d::Zero());
    step.camerasGain = 0.5 * step.views.dot(reduced_.right) + 0.5 * step.border.dot(reduced_.cornerRight);
    double slope = step.views.dot(viewGradient_) + step.border.dot(borderGradient_), stiff = 0;
    const auto damp = [&](double diagonal) { return damped(diagonal, damping) - diagonal; };
    for (int v = 0; v < viewCount_; ++v)
        for (int a = 0; a < d; ++a)
            stiff += damp(viewNormal_(a, v * d + a)) * step.views[v * d + a] * step.views[v * d + a];
    for (int b = 0; b < borderSize_; ++b) stiff += damp(borderNormal_(b, b)) * step.border[b] * step.border[b];
    std::vector<std::array<double, 2>> ofBatch(batches_.size());
    parallelRanges(int(batches_.size()), 1, [&](int begin, int end) {
        for (auto i = size_t(begin); i < size_t(end); ++i) ofBatch[i] = solvePoints(batches_[i], damping, step);
    });
    for (const auto& [bySlope, byDamping] : ofBatch) slope += bySlope, stiff += byDamping;
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
            const Eigen::Vector3d translation = view.translation;
            view = moved(
                view, step.views.segment<3>(v * d),
                options_.rotationOnly ? Eigen::Vector3d::Zero() : Eigen::Vector3d(step.views.segment<3>(v * d + 3)));
            if (options_.rotationOnly) view.translation = translation;
        }
        if (ownFocal_) p.focalOfView[size_t(v)] *= std::exp(std::clamp(step.views[v * d + d - 1], -0.7, 0.7));
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

}  // namespace va
