// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/patch.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/cpu_clones.h"
#include "track/pyramid.h"

namespace va {
namespace {

/// Floats in registers; the compiler's own vector types work on every processor.
using Four = float __attribute__((vector_size(16)));
using Eight = float __attribute__((vector_size(32)));

/// Samples `picture` at shape·(u, v) + at with the Catmull–Rom cubic; n is even. The caller has checked that all taps
/// are inside. Two pixels at a time, four taps of a row each: gathering the same tap of many pixels is slower.
VA_CPU_CLONES void sampleCubic(const float* __restrict picture, int stride, const float* __restrict u,
                               const float* __restrict v, int n, const float* __restrict m, float* __restrict out) {
    // Weights of the four taps along x as polynomials in the fraction: c0 + s (c1 + s (c2 + s c3)).
    const Eight c0{0, 1, 0, 0, 0, 1, 0, 0}, c1{-0.5f, 0, 0.5f, 0, -0.5f, 0, 0.5f, 0},
        c2{1, -2.5f, 2, -0.5f, 1, -2.5f, 2, -0.5f}, c3{-0.5f, 1.5f, -1.5f, 0.5f, -0.5f, 1.5f, -1.5f, 0.5f};
    for (int i = 0; i + 1 < n; i += 2) {
        const float x0 = m[0] * u[i] + m[1] * v[i] + m[4], y0 = m[2] * u[i] + m[3] * v[i] + m[5];
        const float x1 = m[0] * u[i + 1] + m[1] * v[i + 1] + m[4], y1 = m[2] * u[i + 1] + m[3] * v[i + 1] + m[5];
        // Coordinates are positive here: truncation is floor.
        const int ix0 = int(x0), iy0 = int(y0), ix1 = int(x1), iy1 = int(y1);
        const float s0 = x0 - float(ix0), s1 = x1 - float(ix1), t0 = y0 - float(iy0), t1 = y1 - float(iy1);
        const Eight s{s0, s0, s0, s0, s1, s1, s1, s1}, t{t0, t0, t0, t0, t1, t1, t1, t1};
        const Eight wx = c0 + s * (c1 + s * (c2 + s * c3)), t2 = t * t;
        const float* p = picture + (iy0 - 1) * stride + ix0 - 1;
        const float* q = picture + (iy1 - 1) * stride + ix1 - 1;
        Eight rows[4];
        for (int k = 0; k < 4; ++k) {
            Four a, b;
            std::memcpy(&a, p + k * stride, sizeof a);
            std::memcpy(&b, q + k * stride, sizeof b);
            rows[k] = __builtin_shufflevector(a, b, 0, 1, 2, 3, 4, 5, 6, 7);
        }
        const Eight taps = wx * ((t * -0.5f + t2 - 0.5f * t2 * t) * rows[0] + (1 + t2 * (1.5f * t - 2.5f)) * rows[1] +
                                 (0.5f * t + t2 * (2 - 1.5f * t)) * rows[2] + (t2 * (0.5f * t - 0.5f)) * rows[3]);
        out[i] = (taps[0] + taps[2]) + (taps[1] + taps[3]);
        out[i + 1] = (taps[4] + taps[6]) + (taps[5] + taps[7]);
    }
}

/// sums = { Σ w I, Σ w I², Σ w I T, Σ w I descent_k … } over pixels begin..end of n; the weight w is in T and the
/// descents already, and 0 for padding.
VA_CPU_CLONES void project(const float* __restrict I, const float* __restrict w, const float* __restrict T,
                           const float* __restrict d, int n, int begin, int end, float* __restrict sums) {
    float s0 = 0, s1 = 0, s2 = 0, a0 = 0, a1 = 0, a2 = 0, a3 = 0, a4 = 0, a5 = 0;
    for (int i = begin; i < end; ++i) {
        const float value = I[i], weighed = value * w[i];
        s0 += weighed;
        s1 += weighed * value;
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

/// What each motion model lets change, as columns over (tx, ty, a, b, c, d).
Eigen::Matrix<double, 6, Eigen::Dynamic> freedomOf(MotionModel model) {
    Eigen::Matrix<double, 6, Eigen::Dynamic> p;
    if (model == MotionModel::affine) return Eigen::Matrix<double, 6, 6>::Identity();
    p = Eigen::Matrix<double, 6, Eigen::Dynamic>::Zero(6, model == MotionModel::translation ? 2 : 4);
    p(0, 0) = p(1, 1) = 1;
    if (model == MotionModel::similarity) p(2, 2) = p(5, 2) = 1, p(3, 3) = -1, p(4, 3) = 1;
    return p;
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
    if (x - radius < 1 || y - radius < 1 || x + radius >= picture.width - 1 || y + radius >= picture.height - 1) return;
    windowMargin_ = std::min(
        {blurReach / 2 + 2, x - radius, y - radius, picture.width - 1 - x - radius, picture.height - 1 - y - radius});
    const int reach = radius + windowMargin_;
    window_ = Luma(2 * reach + 1, 2 * reach + 1);
    for (int j = 0; j < window_.height; ++j)
        std::memcpy(window_.row(j), picture.row(y - reach + j) + x - reach, size_t(window_.width) * sizeof(float));
    prepare();
}

void ReferencePatch::prepare(const std::vector<float>& weights) {
    usable_ = false;
    const int side = 2 * radius_ + 1, pixels = side * side, middle = radius_ + windowMargin_;
    if (order_.empty()) {
        const int cuts[4] = {0, (side + 1) / 3, side - (side + 1) / 3, side};
        for (int part = 0; part < parts; ++part) {
            for (int j = cuts[part / 3]; j < cuts[part / 3 + 1]; ++j)
                for (int i = cuts[part % 3]; i < cuts[part % 3 + 1]; ++i) order_.push_back(j * side + i);
            while (order_.size() % 8 != 0) order_.push_back(-1);
            partEnd_[part] = int(order_.size());
        }
        count_ = int(order_.size());
        u_.assign(order_.size(), 0);
        v_ = u_;
    }
    const size_t n = order_.size();
    weight_.assign(n, 0);
    texture_ = weight_;
    descent_.assign(n * 6, 0);
    mean_ = power_ = 0;
    for (size_t i = 0; i < n; ++i) {
        if (order_[i] < 0) continue;
        const int dx = order_[i] % side - radius_, dy = order_[i] / side - radius_, x = middle + dx, y = middle + dy;
        u_[i] = float(dx), v_[i] = float(dy), weight_[i] = weights.empty() ? 1 : weights[size_t(order_[i])];
        texture_[i] = window_.at(x, y);
        mean_ += double(weight_[i]) * double(texture_[i]);
        const float gx = 0.5f * (window_.at(x + 1, y) - window_.at(x - 1, y));
        const float gy = 0.5f * (window_.at(x, y + 1) - window_.at(x, y - 1));
        const float rows[6] = {gx, gy, gx * u_[i], gx * v_[i], gy * u_[i], gy * v_[i]};
        for (size_t k = 0; k < 6; ++k) descent_[k * n + i] = rows[k];
    }
    mean_ /= pixels;
    for (size_t i = 0; i < n; ++i) {
        texture_[i] = order_[i] >= 0 ? texture_[i] - float(mean_) : 0;
        power_ += double(weight_[i]) * double(texture_[i]) * double(texture_[i]);
    }
    if (power_ < 1e-3 * pixels) return;
    using Rows = Eigen::Matrix<float, 6, Eigen::Dynamic, Eigen::RowMajor>;
    Eigen::Map<Rows> rows(descent_.data(), 6, count_);
    Eigen::Map<Eigen::RowVectorXf> T(texture_.data(), count_);
    const Eigen::Map<const Eigen::RowVectorXf> w(weight_.data(), count_);
    for (int k = 0; k < 6; ++k) {
        const double withOne = double(rows.row(k).dot(w)),
                     withT = double((rows.row(k).array() * w.array() * T.array()).sum());
        // Padding has no weight, so it may get what it gets.
        rows.row(k) -= Eigen::RowVectorXf::Constant(count_, float(withOne / pixels)) + float(withT / power_) * T;
    }
    const Eigen::Matrix<double, 6, Eigen::Dynamic> plain = rows.cast<double>();
    T.array() *= w.array();
    rows.array().rowwise() *= w.array();
    const Eigen::Matrix<double, 6, Eigen::Dynamic> J = rows.cast<double>();
    const Eigen::Matrix<double, 6, 6> normal = J * plain.transpose();
    const Eigen::Vector2d strength =
        Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d>(normal.topLeftCorner<2, 2>()).eigenvalues();
    if (!(strength(0) > 1e-6 * strength(1)) || !(strength(0) > 1e-3 * pixels)) return;
    for (int part = 0; part < parts; ++part) {
        const int begin = part == 0 ? 0 : partEnd_[part - 1], length = partEnd_[part] - begin;
        partWithT_.col(part) = plain.middleCols(begin, length) * T.cast<double>().segment(begin, length).transpose();
        partWithOne_.col(part) = J.middleCols(begin, length).rowwise().sum();
    }
    // The blur makes neighbouring noise alike, so the plain inverse would promise too much: raw noise n enters as (n ⊛
    // h), and Σ J·(n ⊛ h) = Σ (J ⊛ h)·n, whose covariance is (J ⊛ h)(J ⊛ h)ᵀ.
    Eigen::Matrix<double, 6, Eigen::Dynamic> spread =
        Eigen::Matrix<double, 6, Eigen::Dynamic>::Zero(6, (side + 2) * (side + 2));
    static constexpr double h[3] = {0.25, 0.5, 0.25};
    for (int p = 0; p < count_; ++p)
        if (order_[size_t(p)] >= 0)
            for (int j = 0; j < 3; ++j)
                for (int i = 0; i < 3; ++i)
                    spread.col((order_[size_t(p)] / side + j) * (side + 2) + order_[size_t(p)] % side + i) +=
                        h[i] * h[j] * J.col(p);
    const Eigen::Matrix<double, 6, 6> noise = spread * spread.transpose();
    for (const MotionModel model : {MotionModel::translation, MotionModel::similarity, MotionModel::affine}) {
        const auto P = freedomOf(model);
        const Eigen::LLT<Eigen::MatrixXd> chol(P.transpose() * normal * P);
        if (chol.info() != Eigen::Success) return;
        Eigen::Matrix<double, 6, 6>& inverse = inverse_[size_t(model)];
        inverse = P * chol.solve(Eigen::MatrixXd(P.transpose()));
        spread_[size_t(model)] = (inverse * noise * inverse).topLeftCorner<2, 2>();
        if (!inverse.allFinite()) return;
    }
    usable_ = true;
}

void ReferencePatch::addResidual(const std::vector<float>& samples, std::vector<float>& squares) const {
    if (!usable_ || samples.size() != order_.size()) return;
    const int side = 2 * radius_ + 1, middle = radius_ + windowMargin_;
    squares.resize(size_t(side * side), 0);
    double sum = 0, cross = 0;
    for (size_t i = 0; i < order_.size(); ++i)
        sum += double(weight_[i]) * double(samples[i]), cross += double(samples[i]) * double(texture_[i]);
    const double gain = cross / power_;
    if (!(gain > 0.05)) return;
    const auto scale = float(1 / gain), bias = float(sum / (side * side) / gain - mean_);
    for (size_t i = 0; i < order_.size(); ++i) {
        if (order_[i] < 0) continue;
        const int x = middle + int(u_[i]), y = middle + int(v_[i]);
        const float left = samples[i] * scale - bias - window_.at(x, y);
        squares[size_t(order_[i])] += left * left;
    }
}

void ReferencePatch::weigh(const std::vector<float>& squares, int frames) {
    if (!usable_ || squares.size() != size_t((2 * radius_ + 1) * (2 * radius_ + 1)) || frames < 1) return;
    // A pixel's own few frames say little: its neighbours are asked as well, since surfaces are larger than pixels.
    const int side = 2 * radius_ + 1;
    std::vector<float> smooth(squares.size());
    for (int y = 0; y < side; ++y)
        for (int x = 0; x < side; ++x) {
            float sum = 0, n = 0;
            for (int j = std::max(0, y - 1); j <= std::min(side - 1, y + 1); ++j)
                for (int i = std::max(0, x - 1); i <= std::min(side - 1, x + 1); ++i)
                    sum += squares[size_t(j * side + i)], ++n;
            smooth[size_t(y * side + x)] = sum / n / float(frames);
        }
    // Steep places always leave more (sampling, a hundredth of a pixel of misplacement): what counts is what is left
    // beyond noise + steepness, as fitted to the patch itself.
    double n = 0, g1 = 0, g2 = 0, v0 = 0, v1 = 0;
    std::vector<float> steep(smooth.size());
    const int middle = radius_ + windowMargin_;
    for (int y = 0; y < side; ++y)
        for (int x = 0; x < side; ++x) {
            const int wx = middle + x - radius_, wy = middle + y - radius_;
            const float gx = 0.5f * (window_.at(wx + 1, wy) - window_.at(wx - 1, wy)),
                        gy = 0.5f * (window_.at(wx, wy + 1) - window_.at(wx, wy - 1));
            const auto i = size_t(y * side + x);
            steep[i] = gx * gx + gy * gy;
            const auto g = double(steep[i]), v = double(smooth[i]);
            n += 1, g1 += g, g2 += g * g, v0 += v, v1 += v * g;
        }
    const double bend = n * g2 - g1 * g1;
    const double slope = bend > 0 ? std::max(0.0, (n * v1 - g1 * v0) / bend) : 0;
    const double flat = std::max(0.05, (v0 - slope * g1) / n);
    for (size_t i = 0; i < smooth.size(); ++i) smooth[i] /= float(flat + slope * double(steep[i]));
    std::vector<float> sorted = smooth;
    std::nth_element(sorted.begin(), sorted.begin() + std::ptrdiff_t(sorted.size() / 2), sorted.end());
    const float typical = std::max(sorted[sorted.size() / 2], 1e-3f);
    std::vector<float> weights(smooth.size());
    double total = 0;
    for (size_t i = 0; i < smooth.size(); ++i) {
        // What noise alone scatters by keeps its full weight: every pixel given away costs precision.
        const float over = std::max(0.0f, smooth[i] / typical - 2.0f) / 0.8f;
        weights[i] = 1 / (1 + over * over);
        total += double(weights[i]);
    }
    for (float& w : weights) w = float(double(w) * double(weights.size()) / total);
    // Nearly all patches are on one surface: nothing to do for those.
    if (total > 0.97 * double(weights.size()) && solidShare_ == 1) return;
    ReferencePatch weighed = *this;
    weighed.prepare(weights);
    if (!weighed.usable_) return;
    weighed.solidShare_ = std::clamp(total / double(weights.size()), 0.0, 1.0);
    *this = std::move(weighed);
}

float ReferencePatch::textureAt(const Eigen::Vector2d& offset) const {
    const int middle = radius_ + windowMargin_;
    return window_.at(std::clamp(middle + int(std::lround(offset.x())), 0, window_.width - 1),
                      std::clamp(middle + int(std::lround(offset.y())), 0, window_.height - 1));
}

ReferencePatch ReferencePatch::blurredAlong(const Eigen::Vector2d& sweep) const {
    ReferencePatch out;
    out.x_ = x_, out.y_ = y_, out.radius_ = radius_;
    const double length = sweep.norm();
    const int margin = int(std::ceil(length / 2)) + 2;
    if (!usable_ || !(length > 0.5) || windowMargin_ - margin < 1) return out;
    out.windowMargin_ = windowMargin_ - margin;
    const int reach = radius_ + out.windowMargin_, n = 2 * reach + 1;
    out.window_ = Luma(n, n);
    const int samples = int(std::ceil(length)) * 2 + 1;
    // The sampler works in pairs; the one too many lies in the margin as well.
    const int even = n + n % 2;
    std::vector<float> u(size_t(even), 0), v(size_t(even), 0), line(size_t(even), 0);
    for (int i = 0; i < even; ++i) u[size_t(i)] = float(std::min(i, n - 1) + margin);
    for (int k = 0; k < samples; ++k) {
        const double t = (k + 0.5) / samples - 0.5;
        for (int y = 0; y < n; ++y) {
            const float m[6] = {1, 0, 0, 1, float(t * sweep.x()), float(y + margin + t * sweep.y())};
            sampleCubic(window_.data.data(), window_.width, u.data(), v.data(), even, m, line.data());
            for (int x = 0; x < n; ++x) out.window_.at(x, y) += line[size_t(x)] / float(samples);
        }
    }
    out.prepare();
    return out;
}

std::optional<ReferencePatch::Result> ReferencePatch::registerIn(const Luma& picture, const Placement& start,
                                                                 const Options& options) const {
    if (!usable_) return std::nullopt;
    thread_local std::vector<float> own;
    std::vector<float>& samples = options.samples ? *options.samples : own;
    samples.resize(size_t(count_));
    const int pixels = (2 * radius_ + 1) * (2 * radius_ + 1);
    const Eigen::Matrix<double, 6, 6>& inverse = inverse_[size_t(options.model)];
    Result result;
    Placement p = start, last = start;
    float sums[parts][9];
    double total[9] = {}, lastStep = 1e9;
    for (int i = 0; i < options.iterations; ++i) {
        if (!p.at.allFinite() || !p.shape.allFinite() || !inside(picture, p, radius_)) return std::nullopt;
        const float m[6] = {float(p.shape(0, 0)), float(p.shape(0, 1)), float(p.shape(1, 0)),
                            float(p.shape(1, 1)), float(p.at.x()),      float(p.at.y())};
        sampleCubic(picture.data.data(), picture.width, u_.data(), v_.data(), count_, m, samples.data());
        for (double& t : total) t = 0;
        for (int part = 0; part < parts; ++part) {
            project(samples.data(), weight_.data(), texture_.data(), descent_.data(), count_,
                    part == 0 ? 0 : partEnd_[part - 1], partEnd_[part], sums[part]);
            for (int k = 0; k < 9; ++k) total[k] += double(sums[part][k]);
        }
        result.iterations = i + 1;
        result.gain = total[2] / power_;
        if (!(result.gain > 0.05)) return std::nullopt;
        last = p;
        Eigen::Matrix<double, 6, 1> d;
        for (int k = 0; k < 6; ++k) d(k) = total[3 + k] / result.gain;
        d = (inverse * d).eval();
        Eigen::Matrix2d change;
        change << 1 + d(2), d(3), d(4), 1 + d(5);
        const double det = change.determinant();
        if (!(det > 0.3 && det < 3)) return std::nullopt;
        p.shape = p.shape * change.inverse();
        const Eigen::Vector2d shift = p.shape * d.head<2>();
        p.at -= shift;
        const double step = shift.norm();
        if (step > radius_) return std::nullopt;
        if (step < options.stop || step > 2 * lastStep) break;
        lastStep = step;
    }
    const double variance = total[1] - total[0] * total[0] / pixels;
    if (!(variance > 0)) return std::nullopt;
    result.correlation = total[2] / std::sqrt(power_ * variance);
    const double left = std::max(0.0, variance - total[2] * total[2] / power_);
    result.residual = std::sqrt(left / std::max(1, pixels - 8));
    const double rawNoise = result.residual * result.residual / (result.gain * result.gain) / Pyramid::noiseShare;
    result.covariance = rawNoise * (last.shape * spread_[size_t(options.model)] * last.shape.transpose());
    // Σ over the parts of (what the part's residual would move the place by)².
    const double bias = total[0] / pixels;
    Eigen::Matrix2d scatter = Eigen::Matrix2d::Zero();
    for (int part = 0; part < parts; ++part) {
        Eigen::Matrix<double, 6, 1> pull;
        for (int k = 0; k < 6; ++k)
            pull(k) = (double(sums[part][3 + k]) - bias * partWithOne_(k, part)) / result.gain - partWithT_(k, part);
        const Eigen::Vector2d moves = last.shape * (inverse.topRows<2>() * pull);
        scatter += moves * moves.transpose();
    }
    result.scatter = scatter * (double(parts) / (parts - 1));
    // The last step is taken as well: what it leaves is a fraction of it.
    result.placement = p;
    return result;
}

}  // namespace va
