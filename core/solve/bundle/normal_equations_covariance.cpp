// SPDX-License-Identifier: GPL-3.0-or-later
// Covariances from the factors of the reduced system.
#include "solve/bundle/normal_equations.h"

#include <Eigen/Cholesky>

#include "base/parallel.h"

namespace va {

bool NormalEquations::factorForCovariance() { return reduce(1e-11); }

Eigen::MatrixXd NormalEquations::covariance(const std::vector<int>& views) const {
    const int d = viewSize_;
    const Eigen::Index n = d * Eigen::Index(views.size()), size = n + borderSize_;
    // Columns of the inverse by forward substitution: Σ = Zᵀ Z with Z = L⁻¹ of unit columns, border and all.
    Eigen::MatrixXd z = Eigen::MatrixXd::Zero(d * viewCount_, n);
    for (size_t i = 0; i < views.size(); ++i)
        // What is held has no variance.
        for (int a = viewFree_[size_t(views[i])] ? 0 : d - int(ownFocal_); a < d; ++a)
            z(views[i] * d + a, Eigen::Index(i) * d + a) = 1;
    parallelRanges(int(n), 4, [&](int begin, int end) { reduced_.band.solveLower(z.middleCols(begin, end - begin)); });
    Eigen::MatrixXd out = Eigen::MatrixXd::Zero(size, size);
    out.topLeftCorner(n, n).noalias() = z.transpose() * z;
    if (borderSize_ == 0) return out;
    const Eigen::MatrixXd corner = reduced_.corner.ldlt().solve(Eigen::MatrixXd::Identity(borderSize_, borderSize_));
    // −(L⁻ᵀ L⁻¹ E) C⁻¹ are the views' rows against the border.
    const Eigen::MatrixXd across = z.transpose() * reduced_.cross;
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
        using Rows =
            Eigen::Map<const Eigen::Matrix<double, 2, Eigen::Dynamic, Eigen::RowMajor>, 0, Eigen::OuterStride<>>;
        const Rows byPoint(linear().x(k) + byPointAt, 2, 3, Eigen::OuterStride<>(linearHalf_));
        const Rows byCamera(linear().x(k) + byCameraAt, 2, d, Eigen::OuterStride<>(linearHalf_));
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
