// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/minimal/homography.h"

#include <Eigen/Geometry>
#include <Eigen/LU>
#include <Eigen/SVD>
#include <limits>

namespace va {
namespace {

/// Moves the middle to 0 and the mean distance to √2: without it the linear system is badly conditioned.
Eigen::Matrix3d normaliser(const Points2& p, const std::vector<int>& use) {
    Eigen::Vector2d middle = Eigen::Vector2d::Zero();
    for (int i : use) middle += p[size_t(i)];
    middle /= double(use.size());
    double spread = 0;
    for (int i : use) spread += (p[size_t(i)] - middle).norm();
    spread /= double(use.size());
    const double s = spread > 0 ? std::sqrt(2.0) / spread : 1;
    Eigen::Matrix3d t;
    t << s, 0, -s * middle.x(), 0, s, -s * middle.y(), 0, 0, 1;
    return t;
}

}  // namespace

std::optional<Eigen::Matrix3d> homographyFrom(const Points2& a, const Points2& b, const std::vector<int>& use) {
    if (use.size() < 4) return std::nullopt;
    const Eigen::Matrix3d ta = normaliser(a, use), tb = normaliser(b, use);
    Eigen::Matrix<double, 9, 9> normal = Eigen::Matrix<double, 9, 9>::Zero();
    for (int i : use) {
        const Eigen::Vector3d p = ta * a[size_t(i)].homogeneous(), q = tb * b[size_t(i)].homogeneous();
        Eigen::Matrix<double, 2, 9> rows = Eigen::Matrix<double, 2, 9>::Zero();
        rows.block<1, 3>(0, 0) = p.transpose();
        rows.block<1, 3>(0, 6) = -q.x() * p.transpose();
        rows.block<1, 3>(1, 3) = p.transpose();
        rows.block<1, 3>(1, 6) = -q.y() * p.transpose();
        normal += rows.transpose() * rows;
    }
    const Eigen::JacobiSVD<Eigen::Matrix<double, 9, 9>> svd(normal, Eigen::ComputeFullV);
    if (!(svd.singularValues()(7) > 1e-12 * svd.singularValues()(0))) return std::nullopt;
    const Eigen::Matrix<double, 9, 1> h = svd.matrixV().col(8);
    Eigen::Matrix3d m;
    m << h(0), h(1), h(2), h(3), h(4), h(5), h(6), h(7), h(8);
    m = tb.inverse() * m * ta;
    if (!m.allFinite() || std::fabs(m.determinant()) < 1e-15 * std::pow(m.norm(), 3)) return std::nullopt;
    return Eigen::Matrix3d(m / m.norm());
}

double transferError2(const Eigen::Matrix3d& h, const Eigen::Vector2d& a, const Eigen::Vector2d& b) {
    const Eigen::Vector3d p = h * a.homogeneous();
    if (std::fabs(p.z()) < 1e-12) return std::numeric_limits<double>::infinity();
    return (p.head<2>() / p.z() - b).squaredNorm();
}

namespace {

/// Gauss–Newton on the transfer error over nine entries, whose common scale a little damping holds.
Eigen::Matrix3d refineHomography(const Eigen::Matrix3d& start, const Points2& a, const Points2& b,
                                 const std::vector<int>& use) {
    const Eigen::Matrix3d ta = normaliser(a, use), tb = normaliser(b, use);
    Eigen::Matrix3d h = tb * start * ta.inverse();
    h /= h.norm();
    for (int round = 0; round < 4; ++round) {
        Eigen::Matrix<double, 9, 9> normal = 1e-9 * double(use.size()) * Eigen::Matrix<double, 9, 9>::Identity();
        Eigen::Matrix<double, 9, 1> right = Eigen::Matrix<double, 9, 1>::Zero();
        for (const int i : use) {
            const Eigen::Vector3d p = ta * a[size_t(i)].homogeneous(), q = h * p;
            if (std::fabs(q.z()) < 1e-9) continue;
            const Eigen::Vector2d to = q.hnormalized(), off = to - (tb * b[size_t(i)].homogeneous()).hnormalized();
            Eigen::Matrix<double, 2, 9> rows = Eigen::Matrix<double, 2, 9>::Zero();
            rows.block<1, 3>(0, 0) = p.transpose() / q.z();
            rows.block<1, 3>(1, 3) = p.transpose() / q.z();
            rows.block<1, 3>(0, 6) = -to.x() / q.z() * p.transpose();
            rows.block<1, 3>(1, 6) = -to.y() / q.z() * p.transpose();
            normal += rows.transpose() * rows;
            right += rows.transpose() * off;
        }
        const Eigen::Matrix<double, 9, 1> step = normal.ldlt().solve(right);
        if (!step.allFinite()) break;
        for (int k = 0; k < 9; ++k) h(k / 3, k % 3) -= step(k);
        h /= h.norm();
    }
    const Eigen::Matrix3d out = tb.inverse() * h * ta;
    return out / out.norm();
}

}  // namespace

SamplingResult<Eigen::Matrix3d> robustHomography(const Points2& a, const Points2& b, const SamplingOptions& options) {
    auto result = robustSampling<Eigen::Matrix3d>(
        int(a.size()), 4, options,
        [&](const std::vector<int>& sample, std::vector<Eigen::Matrix3d>& models) {
            if (auto h = homographyFrom(a, b, sample)) models.push_back(*h);
        },
        [&](const Eigen::Matrix3d& h, int i) { return transferError2(h, a[size_t(i)], b[size_t(i)]); });
    polish(
        result, int(a.size()), options,
        [&](const Eigen::Matrix3d& h, const std::vector<int>& use) -> std::optional<Eigen::Matrix3d> {
            const auto linear = homographyFrom(a, b, use);
            return refineHomography(linear ? *linear : h, a, b, use);
        },
        [&](const Eigen::Matrix3d& h, int i) { return transferError2(h, a[size_t(i)], b[size_t(i)]); });
    return result;
}

}  // namespace va
