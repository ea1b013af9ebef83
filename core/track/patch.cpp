// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/patch.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <cmath>
#include <cstring>

#include "base/cpu_clones.h"
#include "track/pyramid.h"

namespace va {
namespace {

/// Four floats in one register; the compiler's own vector type works on every processor.
using Four = float __attribute__((vector_size(16)));

inline Four loadFour(const float* p) {
    Four v;
    std::memcpy(&v, p, sizeof v);
    return v;
}
inline Four spread(float v) { return Four{v, v, v, v}; }

/// Samples `picture` at shape·(u, v) + at with the Catmull–Rom cubic. The caller has checked that all taps are inside.
/// One pixel at a time, its four taps a row in one register: gathering the same tap of many pixels is slower.
VA_CPU_CLONES void sampleCubic(const float* __restrict picture, int stride, const float* __restrict u,
                               const float* __restrict v, int n, const float* __restrict m, float* __restrict out) {
    // Weights of the four taps as polynomials in the fraction: c0 + s (c1 + s (c2 + s c3)).
    const Four c0{0, 1, 0, 0}, c1{-0.5f, 0, 0.5f, 0}, c2{1, -2.5f, 2, -0.5f}, c3{-0.5f, 1.5f, -1.5f, 0.5f};
    for (int i = 0; i < n; ++i) {
        const float x = m[0] * u[i] + m[1] * v[i] + m[4], y = m[2] * u[i] + m[3] * v[i] + m[5];
        const int ix = int(x), iy = int(y);  // coordinates are positive here: truncation is floor
        const Four s = spread(x - float(ix)), t = spread(y - float(iy));
        const Four wx = c0 + s * (c1 + s * (c2 + s * c3)), wy = c0 + t * (c1 + t * (c2 + t * c3));
        const float* p = picture + (iy - 1) * stride + ix - 1;
        const Four rows = wy[0] * loadFour(p) + wy[1] * loadFour(p + stride) + wy[2] * loadFour(p + 2 * stride) +
                          wy[3] * loadFour(p + 3 * stride);
        const Four taps = wx * rows;
        out[i] = (taps[0] + taps[2]) + (taps[1] + taps[3]);
    }
}

/// sums = { Σ I·1, Σ I², Σ I·T, Σ I·descent_k … } over n pixels; padding has weight 0 in every row.
VA_CPU_CLONES void projectAffine(const float* __restrict I, const float* __restrict one, const float* __restrict T,
                                 const float* __restrict d, int n, float* __restrict sums) {
    float s0 = 0, s1 = 0, s2 = 0, a0 = 0, a1 = 0, a2 = 0, a3 = 0, a4 = 0, a5 = 0;
    for (int i = 0; i < n; ++i) {
        const float value = I[i], real = value * one[i];
        s0 += real;
        s1 += real * real;
        s2 += value * T[i];
        a0 += value * d[i];
        a1 += value * d[n + i];
        a2 += value * d[2 * n + i];
        a3 += value * d[3 * n + i];
        a4 += value * d[4 * n + i];
        a5 += value * d[5 * n + i];
    }
    sums[0] = s0, sums[1] = s1, sums[2] = s2;
    sums[3] = a0, sums[4] = a1, sums[5] = a2, sums[6] = a3, sums[7] = a4, sums[8] = a5;
}

VA_CPU_CLONES void projectShift(const float* __restrict I, const float* __restrict one, const float* __restrict T,
                                const float* __restrict d, int n, float* __restrict sums) {
    float s0 = 0, s1 = 0, s2 = 0, a0 = 0, a1 = 0;
    for (int i = 0; i < n; ++i) {
        const float value = I[i], real = value * one[i];
        s0 += real;
        s1 += real * real;
        s2 += value * T[i];
        a0 += value * d[i];
        a1 += value * d[n + i];
    }
    sums[0] = s0, sums[1] = s1, sums[2] = s2, sums[3] = a0, sums[4] = a1;
}

bool inside(const Luma& picture, const Placement& p, int radius) {
    // Two pixels of margin serve the cubic's taps.
    const double ex = (std::fabs(p.shape(0, 0)) + std::fabs(p.shape(0, 1))) * radius + 2;
    const double ey = (std::fabs(p.shape(1, 0)) + std::fabs(p.shape(1, 1))) * radius + 2;
    return p.at.x() - ex >= 0 && p.at.y() - ey >= 0 && p.at.x() + ex < picture.width - 1 &&
           p.at.y() + ey < picture.height - 1;
}

}  // namespace

ReferencePatch::ReferencePatch(const Luma& picture, int x, int y, int radius) : x_(x), y_(y), radius_(radius) {
    const int side = 2 * radius + 1, pixels = side * side;
    if (x - radius < 1 || y - radius < 1 || x + radius >= picture.width - 1 || y + radius >= picture.height - 1) return;
    count_ = (pixels + 7) / 8 * 8;
    u_.assign(size_t(count_), 0);
    v_ = one_ = texture_ = u_;
    descent_.assign(size_t(count_) * 6, 0);
    double mean = 0;
    for (int i = 0, dy = -radius; dy <= radius; ++dy)
        for (int dx = -radius; dx <= radius; ++dx, ++i) {
            u_[size_t(i)] = float(dx), v_[size_t(i)] = float(dy), one_[size_t(i)] = 1;
            texture_[size_t(i)] = picture.at(x + dx, y + dy);
            mean += texture_[size_t(i)];
            const float gx = 0.5f * (picture.at(x + dx + 1, y + dy) - picture.at(x + dx - 1, y + dy));
            const float gy = 0.5f * (picture.at(x + dx, y + dy + 1) - picture.at(x + dx, y + dy - 1));
            const float rows[6] = {gx, gy, gx * float(dx), gx * float(dy), gy * float(dx), gy * float(dy)};
            for (int k = 0; k < 6; ++k) descent_[size_t(k * count_ + i)] = rows[k];
        }
    mean /= pixels;
    for (int i = 0; i < pixels; ++i) {
        texture_[size_t(i)] -= float(mean);
        power_ += double(texture_[size_t(i)]) * texture_[size_t(i)];
    }
    if (power_ < 1e-3 * pixels) return;
    for (int k = 0; k < 6; ++k) {
        float* d = &descent_[size_t(k) * size_t(count_)];
        double withOne = 0, withT = 0;
        for (int i = 0; i < pixels; ++i) withOne += d[i], withT += double(d[i]) * texture_[size_t(i)];
        for (int i = 0; i < pixels; ++i) d[i] -= float(withOne / pixels + withT / power_ * texture_[size_t(i)]);
    }
    Eigen::Map<Eigen::Matrix<float, 6, Eigen::Dynamic, Eigen::RowMajor>> rows(descent_.data(), 6, count_);
    const Eigen::Matrix<double, 6, Eigen::Dynamic> J = rows.cast<double>();
    const Eigen::Matrix<double, 6, 6> normal = J * J.transpose();
    const Eigen::Matrix2d shift = normal.topLeftCorner<2, 2>();
    const Eigen::LLT<Eigen::Matrix<double, 6, 6>> chol(normal);
    const Eigen::Vector2d strength = Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d>(shift).eigenvalues();
    if (chol.info() != Eigen::Success || !(strength(0) > 1e-6 * strength(1)) || !(strength(0) > 1e-3 * pixels)) return;
    affineInverse_ = chol.solve(Eigen::Matrix<double, 6, 6>::Identity());
    shiftInverse_ = shift.inverse();
    // The blur makes neighbouring noise alike, so the plain inverse would promise too much: raw noise n enters as (n ⊛
    // h), and Σ J·(n ⊛ h) = Σ (J ⊛ h)·n, whose covariance is (J ⊛ h)(J ⊛ h)ᵀ.
    Eigen::Matrix<double, 6, Eigen::Dynamic> spread =
        Eigen::Matrix<double, 6, Eigen::Dynamic>::Zero(6, (side + 2) * (side + 2));
    static constexpr double h[3] = {0.25, 0.5, 0.25};
    for (int py = 0; py < side; ++py)
        for (int px = 0; px < side; ++px)
            for (int j = 0; j < 3; ++j)
                for (int i = 0; i < 3; ++i)
                    spread.col((py + j) * (side + 2) + px + i) += h[i] * h[j] * J.col(py * side + px);
    const Eigen::Matrix<double, 6, 6> noise = spread * spread.transpose();
    affineSpread_ = (affineInverse_ * noise * affineInverse_).topLeftCorner<2, 2>();
    shiftSpread_ = shiftInverse_ * noise.topLeftCorner<2, 2>() * shiftInverse_;
    usable_ = true;
}

std::optional<ReferencePatch::Result> ReferencePatch::registerIn(const Luma& picture, const Placement& start,
                                                                 const Options& options) const {
    if (!usable_) return std::nullopt;
    thread_local std::vector<float> samples;
    samples.resize(size_t(count_));
    const int pixels = (2 * radius_ + 1) * (2 * radius_ + 1);
    Result result;
    Placement p = start;
    float sums[9];
    double lastStep = 1e9;
    for (int i = 0; i < options.iterations; ++i) {
        if (!p.at.allFinite() || !p.shape.allFinite() || !inside(picture, p, radius_)) return std::nullopt;
        const float m[6] = {float(p.shape(0, 0)), float(p.shape(0, 1)), float(p.shape(1, 0)),
                            float(p.shape(1, 1)), float(p.at.x()),      float(p.at.y())};
        sampleCubic(picture.data.data(), picture.width, u_.data(), v_.data(), count_, m, samples.data());
        (options.affine ? projectAffine : projectShift)(samples.data(), one_.data(), texture_.data(), descent_.data(),
                                                        count_, sums);
        result.iterations = i + 1;
        const double gain = sums[2] / power_;
        const double variance = sums[1] - double(sums[0]) * sums[0] / pixels;
        if (!(gain > 0.05) || !(variance > 0)) return std::nullopt;
        result.correlation = sums[2] / std::sqrt(power_ * variance);
        const double left = std::max(0.0, variance - double(sums[2]) * sums[2] / power_);
        result.residual = std::sqrt(left / std::max(1, pixels - 8));
        result.placement = p;
        const Eigen::Matrix2d& spread = options.affine ? affineSpread_ : shiftSpread_;
        const double rawNoise = result.residual * result.residual / (gain * gain) / Pyramid::noiseShare;
        result.covariance = rawNoise * (p.shape * spread * p.shape.transpose());
        Eigen::Vector2d shift;
        if (options.affine) {
            Eigen::Matrix<double, 6, 1> d;
            for (int k = 0; k < 6; ++k) d(k) = sums[3 + k] / gain;
            d = affineInverse_ * d;
            Eigen::Matrix2d change;
            change << 1 + d(2), d(3), d(4), 1 + d(5);
            const double det = change.determinant();
            if (!(det > 0.3 && det < 3)) return std::nullopt;
            p.shape = p.shape * change.inverse();
            shift = p.shape * d.head<2>();
        } else {
            shift = p.shape * (shiftInverse_ * Eigen::Vector2d(sums[3], sums[4]) / gain);
        }
        p.at -= shift;
        const double step = shift.norm();
        if (step > radius_) return std::nullopt;
        // The last step is taken as well: what it leaves is a fraction of it.
        result.placement = p;
        if (step < options.stop || step > 2 * lastStep) break;
        lastStep = step;
    }
    return result;
}

}  // namespace va
