// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/patch.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <cmath>

#include "base/cpu_clones.h"
#include "track/pyramid.h"

namespace va {
namespace {

/// Samples `picture` at shape·(u, v) + at with the Catmull–Rom cubic. The caller has checked that all taps are inside.
VA_CPU_CLONES void sampleCubic(const float* picture, int stride, const float* u, const float* v, int n, const float* m, float* out) {
    const float a = m[0], b = m[1], c = m[2], d = m[3], e = m[4], f = m[5];
    for (int i = 0; i < n; ++i) {
        const float x = a * u[i] + b * v[i] + e, y = c * u[i] + d * v[i] + f;
        const int ix = int(x), iy = int(y);  // coordinates are positive here: truncation is floor
        const float s = x - float(ix), t = y - float(iy);
        const float wx0 = s * (s * (1 - 0.5f * s) - 0.5f), wx1 = 1 + s * s * (1.5f * s - 2.5f), wx3 = 0.5f * s * s * (s - 1);
        const float wx2 = 1 - wx0 - wx1 - wx3;
        const float wy0 = t * (t * (1 - 0.5f * t) - 0.5f), wy1 = 1 + t * t * (1.5f * t - 2.5f), wy3 = 0.5f * t * t * (t - 1);
        const float wy2 = 1 - wy0 - wy1 - wy3;
        const int p = (iy - 1) * stride + ix - 1;
        const float r0 = wx0 * picture[p] + wx1 * picture[p + 1] + wx2 * picture[p + 2] + wx3 * picture[p + 3];
        const int q = p + stride;
        const float r1 = wx0 * picture[q] + wx1 * picture[q + 1] + wx2 * picture[q + 2] + wx3 * picture[q + 3];
        const int w = q + stride;
        const float r2 = wx0 * picture[w] + wx1 * picture[w + 1] + wx2 * picture[w + 2] + wx3 * picture[w + 3];
        const int z = w + stride;
        const float r3 = wx0 * picture[z] + wx1 * picture[z + 1] + wx2 * picture[z + 2] + wx3 * picture[z + 3];
        out[i] = wy0 * r0 + wy1 * r1 + wy2 * r2 + wy3 * r3;
    }
}

VA_CPU_CLONES void sampleLinear(const float* picture, int stride, const float* u, const float* v, int n, const float* m, float* out) {
    const float a = m[0], b = m[1], c = m[2], d = m[3], e = m[4], f = m[5];
    for (int i = 0; i < n; ++i) {
        const float x = a * u[i] + b * v[i] + e, y = c * u[i] + d * v[i] + f;
        const int ix = int(x), iy = int(y);
        const float s = x - float(ix), t = y - float(iy);
        const int p = iy * stride + ix, q = p + stride;
        const float top = picture[p] + s * (picture[p + 1] - picture[p]);
        const float low = picture[q] + s * (picture[q + 1] - picture[q]);
        out[i] = top + t * (low - top);
    }
}

/// sums = { Σ I·1, Σ I², Σ I·T, Σ I·descent_k … } over n pixels; padding has weight 0 in every row.
VA_CPU_CLONES void project(const float* I, const float* one, const float* T, const float* descent, int n, int rows, float* sums) {
    float s0 = 0, s1 = 0, s2 = 0;
    for (int i = 0; i < n; ++i) {
        const float value = I[i] * one[i];
        s0 += value;
        s1 += value * value;
        s2 += I[i] * T[i];
    }
    sums[0] = s0, sums[1] = s1, sums[2] = s2;
    for (int k = 0; k < rows; ++k) {
        const float* d = descent + k * n;
        float s = 0;
        for (int i = 0; i < n; ++i) s += I[i] * d[i];
        sums[3 + k] = s;
    }
}

bool inside(const Luma& picture, const Placement& p, int radius) {
    // Two pixels of margin serve the cubic's taps.
    const double ex = (std::fabs(p.shape(0, 0)) + std::fabs(p.shape(0, 1))) * radius + 2;
    const double ey = (std::fabs(p.shape(1, 0)) + std::fabs(p.shape(1, 1))) * radius + 2;
    return p.at.x() - ex >= 0 && p.at.y() - ey >= 0 && p.at.x() + ex < picture.width - 1 && p.at.y() + ey < picture.height - 1;
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
    // The blur makes neighbouring noise alike, so the plain inverse would promise too much: raw noise n enters as (n ⊛ h), and
    // Σ J·(n ⊛ h) = Σ (J ⊛ h)·n, whose covariance is (J ⊛ h)(J ⊛ h)ᵀ.
    Eigen::Matrix<double, 6, Eigen::Dynamic> spread = Eigen::Matrix<double, 6, Eigen::Dynamic>::Zero(6, (side + 2) * (side + 2));
    static constexpr double h[3] = {0.25, 0.5, 0.25};
    for (int py = 0; py < side; ++py)
        for (int px = 0; px < side; ++px)
            for (int j = 0; j < 3; ++j)
                for (int i = 0; i < 3; ++i) spread.col((py + j) * (side + 2) + px + i) += h[i] * h[j] * J.col(py * side + px);
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
    bool cubic = false;
    for (int i = 0; i < options.iterations; ++i) {
        if (!p.at.allFinite() || !p.shape.allFinite() || !inside(picture, p, radius_)) return std::nullopt;
        const float m[6] = {float(p.shape(0, 0)), float(p.shape(0, 1)), float(p.shape(1, 0)), float(p.shape(1, 1)), float(p.at.x()), float(p.at.y())};
        (cubic ? sampleCubic : sampleLinear)(picture.data.data(), picture.width, u_.data(), v_.data(), count_, m, samples.data());
        project(samples.data(), one_.data(), texture_.data(), descent_.data(), count_, options.affine ? 6 : 2, sums);
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
        if (cubic) result.placement = p;
        if (cubic && (step < options.stop || step > 2 * lastStep)) break;
        // The cheap sampler brings it near; the exact one finishes.
        if (step < 0.1 || i >= options.iterations / 2) cubic = true;
        lastStep = step;
    }
    return result;
}

}  // namespace va
