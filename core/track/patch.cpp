// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/patch.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <cstring>

#include "track/pyramid.h"

namespace va {
namespace {

/// What each motion model lets change, as columns over (tx, ty, a, b, c, d).
Eigen::Matrix<double, 6, Eigen::Dynamic> freedomOf(MotionModel model) {
    Eigen::Matrix<double, 6, Eigen::Dynamic> p;
    if (model == MotionModel::affine) return Eigen::Matrix<double, 6, 6>::Identity();
    p = Eigen::Matrix<double, 6, Eigen::Dynamic>::Zero(6, model == MotionModel::translation ? 2 : 4);
    p(0, 0) = p(1, 1) = 1;
    if (model == MotionModel::similarity) p(2, 2) = p(5, 2) = 1, p(3, 3) = -1, p(4, 3) = 1;
    return p;
}

/// a bᵀ. Sums in single precision go over rows of the patch only, so that nothing is lost.
Eigen::Matrix<double, 6, 6> gram(const Eigen::Matrix<float, 6, Eigen::Dynamic>& a,
                                 const Eigen::Matrix<float, 6, Eigen::Dynamic>& b) {
    Eigen::Matrix<double, 6, 6> sum = Eigen::Matrix<double, 6, 6>::Zero();
    constexpr Eigen::Index run = 32;
    for (Eigen::Index i = 0; i < a.cols(); i += run) {
        const Eigen::Index n = std::min(run, a.cols() - i);
        Eigen::Matrix<float, 6, 6> part = Eigen::Matrix<float, 6, 6>::Zero();
        for (Eigen::Index k = i; k < i + n; ++k) part.noalias() += a.col(k) * b.col(k).transpose();
        sum += part.cast<double>();
    }
    return sum;
}

bool inside(const Luma& picture, const Placement& p, int radius) {
    // Two pixels of margin serve the cubic's taps.
    const double ex = (std::fabs(p.shape(0, 0)) + std::fabs(p.shape(0, 1))) * radius + 2;
    const double ey = (std::fabs(p.shape(1, 0)) + std::fabs(p.shape(1, 1))) * radius + 2;
    return p.at.x() - ex >= 0 && p.at.y() - ey >= 0 && p.at.x() + ex < picture.width - 1 &&
           p.at.y() + ey < picture.height - 1;
}

}  // namespace

ReferencePatch::ReferencePatch(const Luma& picture, int x, int y, int radius, int reachOfBlur)
    : x_(x), y_(y), radius_(radius), layout_(PatchLayout::of(radius)) {
    if (x - radius < 1 || y - radius < 1 || x + radius >= picture.width - 1 || y + radius >= picture.height - 1) return;
    windowMargin_ = std::min(
        {reachOfBlur / 2 + 2, x - radius, y - radius, picture.width - 1 - x - radius, picture.height - 1 - y - radius});
    const int reach = radius + windowMargin_;
    window_ = Luma(2 * reach + 1, 2 * reach + 1);
    for (int j = 0; j < window_.height; ++j)
        std::memcpy(window_.row(j), picture.row(y - reach + j) + x - reach, size_t(window_.width) * sizeof(float));
    prepare();
}

namespace {

/// Sums of projectRows, by third of the rows and third of the columns.
struct PartSums {
    Eigen::Matrix<double, 9, 9> byPart = Eigen::Matrix<double, 9, 9>::Zero();
    [[nodiscard]] double total(int sum) const { return byPart.row(sum).sum(); }

    PartSums(const PatchLayout& l, const float* picture, float offset, const float* w, const float* T, const float* gx,
             const float* gy) {
        thread_local std::vector<float> sums;
        const int bandSums = l.chunks * 9 * PatchLayout::lanes;
        sums.resize(size_t(3 * bandSums));
        for (int band = 0; band < 3; ++band)
            projectRows(l, l.cut(band), l.cut(band + 1), picture, offset, w, T, gx, gy, sums.data() + band * bandSums);
        addByThird(l, sums.data(), byPart);
    }
    static void addByThird(const PatchLayout& l, const float* sums, Eigen::Matrix<double, 9, 9>& byPart) {
        for (int band = 0; band < 3; ++band)
            for (int c = 0; c < l.chunks; ++c)
                for (int k = 0; k < 9; ++k, sums += PatchLayout::lanes) {
                    const int* third = l.third.data() + c * PatchLayout::lanes;
                    for (int lane = 0; lane < PatchLayout::lanes; ++lane)
                        byPart(k, 3 * band + third[lane]) += double(sums[lane]);
                }
    }
};

/// Inverse of the normal matrix over what a model lets change, 0 elsewhere. False where it has none.
template <int freedoms>
bool invert(const Eigen::Matrix<double, 6, freedoms>& P, const Eigen::Matrix<double, 6, 6>& normal,
            Eigen::Matrix<double, 6, 6>& inverse) {
    const Eigen::LLT<Eigen::Matrix<double, freedoms, freedoms>> chol(P.transpose() * normal * P);
    if (chol.info() != Eigen::Success) return false;
    inverse = P * chol.solve(Eigen::Matrix<double, freedoms, 6>(P.transpose()));
    return inverse.allFinite();
}

}  // namespace

void ReferencePatch::prepare(const std::vector<float>& weights) {
    usable_ = false;
    const PatchLayout& l = *layout_;
    const int side = l.side, pixels = side * side, middle = radius_ + windowMargin_, count = l.count();
    const auto n = size_t(count);
    weight_.assign(n, 0);
    plain_.assign(n, 0);
    gx_.assign(n, 0);
    gy_.assign(n, 0);
    Eigen::Matrix<float, 6, Eigen::Dynamic> rows = Eigen::Matrix<float, 6, Eigen::Dynamic>::Zero(6, count);
    mean_ = power_ = 0;
    for (size_t i = 0; i < n; ++i) {
        if (l.pixel[i] < 0) continue;
        weight_[i] = weights.empty() ? 1 : weights[size_t(l.pixel[i])];
        const float* at = window_.row(middle + int(l.v[i])) + middle + int(l.u[i]);
        plain_[i] = *at;
        mean_ += double(weight_[i]) * double(*at);
        const float gx = 0.5f * (at[1] - at[-1]), gy = 0.5f * (at[window_.width] - at[-window_.width]);
        gx_[i] = gx * weight_[i];
        gy_[i] = gy * weight_[i];
        rows.col(Eigen::Index(i)) << gx, gy, gx * l.u[i], gx * l.v[i], gy * l.u[i], gy * l.v[i];
    }
    mean_ /= pixels;
    texture_.resize(n);
    for (size_t i = 0; i < n; ++i) {
        texture_[i] = l.pixel[i] < 0 ? 0 : plain_[i] - float(mean_);
        power_ += double(weight_[i]) * double(texture_[i]) * double(texture_[i]);
    }
    if (power_ < 1e-3 * pixels) return;
    Eigen::Map<Eigen::RowVectorXf> T(texture_.data(), count);
    const Eigen::Map<const Eigen::RowVectorXf> w(weight_.data(), count);
    // The steepest-descent images with T and 1 projected out: plain, and times the weight.
    Eigen::Matrix<float, 6, Eigen::Dynamic> plain = rows;
    for (int k = 0; k < 6; ++k) {
        alongOne_(k) = double(rows.row(k).dot(w)) / pixels;
        alongT_(k) = double((rows.row(k).array() * w.array() * T.array()).sum()) / power_;
        // What the layout repeats has no weight, so it may get what it gets.
        plain.row(k) -= Eigen::RowVectorXf::Constant(count, float(alongOne_(k))) + float(alongT_(k)) * T;
    }
    T.array() *= w.array();
    const Eigen::Matrix<float, 6, Eigen::Dynamic> J = plain.array().rowwise() * w.array();
    const Eigen::Matrix<double, 6, 6> normal = gram(J, plain);
    const Eigen::Vector2d strength =
        Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d>(normal.topLeftCorner<2, 2>()).eigenvalues();
    if (!(strength(0) > 1e-6 * strength(1)) || !(strength(0) > 1e-3 * pixels)) return;
    partWithT_.setZero();
    partWithOne_.setZero();
    for (int i = 0; i < count; ++i) {
        const int inRow = i % (l.chunks * PatchLayout::lanes);
        const int part = 3 * l.rowThird[size_t(i / (l.chunks * PatchLayout::lanes))] + l.third[size_t(inRow)];
        partWithT_.col(part) += (plain.col(i) * T(i)).cast<double>();
        partWithOne_.col(part) += J.col(i).cast<double>();
    }
    // The blur makes neighbouring noise alike, so the plain inverse would promise too much: raw noise n enters as (n ⊛
    // h), and Σ J·(n ⊛ h) = Σ (J ⊛ h)·n, whose covariance is (J ⊛ h)(J ⊛ h)ᵀ.
    const int wide = side + 2;
    Eigen::Matrix<float, 6, Eigen::Dynamic> spread = Eigen::Matrix<float, 6, Eigen::Dynamic>::Zero(6, wide * wide);
    for (int i = 0; i < count; ++i)
        if (const int pixel = l.pixel[size_t(i)]; pixel >= 0) {
            const int y = pixel / side, x = pixel - y * side;
            spread.col((y + 1) * wide + x + 1) = J.col(i);
        }
    for (const int by : {1, wide}) {
        // (1 2 1)/4 along the rows, then along the columns; the frame of zeros is left behind.
        Eigen::Matrix<float, 6, Eigen::Dynamic> blurred = 0.5f * spread;
        const int m = wide * wide - by;
        blurred.rightCols(m) += 0.25f * spread.leftCols(m);
        blurred.leftCols(m) += 0.25f * spread.rightCols(m);
        spread.swap(blurred);
    }
    const Eigen::Matrix<double, 6, 6> noise = gram(spread, spread);
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

void ReferencePatch::prepareEvenly() {
    usable_ = false;
    const PatchLayout& l = *layout_;
    const int pixels = l.side * l.side, middle = radius_ + windowMargin_, count = l.count();
    const auto n = size_t(count);
    weight_ = l.once;
    plain_.resize(n);
    gx_.resize(n);
    gy_.resize(n);
    texture_.resize(n);
    thread_local std::vector<float> gx, gy, ones;
    gx.resize(n);
    gy.resize(n);
    ones.assign(n, 1.0f);
    levelsAndGradients(l, window_.row(middle) + middle, window_.width, plain_.data(), gx.data(), gy.data());
    using Row = Eigen::Map<Eigen::ArrayXf>;
    Row w(weight_.data(), count), T(texture_.data(), count);
    Row(gx_.data(), count) = w * Row(gx.data(), count);
    Row(gy_.data(), count) = w * Row(gy.data(), count);
    const PartSums withOne(l, ones.data(), 0, weight_.data(), weight_.data(), gx_.data(), gy_.data());
    // From a level nearby, so that nothing is lost in single precision.
    const float near = window_.at(middle, middle);
    const double rough = double((w * (Row(plain_.data(), count) - near)).sum()) / pixels;
    mean_ = double(near) + rough;
    T = w * (Row(plain_.data(), count) - float(mean_));
    const PartSums withT(l, plain_.data(), float(mean_), weight_.data(), weight_.data(), gx_.data(), gy_.data());
    power_ = withT.total(1);
    if (!(power_ >= 1e-3 * pixels)) return;
    // Parts of 1 and of T in the steepest-descent images, which are taken out of all sums.
    for (int k = 0; k < 6; ++k) {
        alongOne_(k) = withOne.total(3 + k) / pixels;
        alongT_(k) = withT.total(3 + k) / power_;
    }
    double moments[6][6];
    descentMoments(l, gx.data(), gy.data(), gx_.data(), gy_.data(), moments);
    Eigen::Matrix<double, 6, 6> normal = Eigen::Map<Eigen::Matrix<double, 6, 6>>(moments[0]);
    normal -= pixels * alongOne_ * alongOne_.transpose() + power_ * alongT_ * alongT_.transpose();
    const Eigen::Vector2d strength =
        Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d>(normal.topLeftCorner<2, 2>()).eigenvalues();
    if (!(strength(0) > 1e-6 * strength(1)) || !(strength(0) > 1e-3 * pixels)) return;
    partWithT_ = withT.byPart.bottomRows<6>() - alongOne_ * withT.byPart.row(0) - alongT_ * withT.byPart.row(1);
    partWithOne_ = withOne.byPart.bottomRows<6>() - alongOne_ * withOne.byPart.row(0) - alongT_ * withT.byPart.row(0);
    // The blur makes neighbouring noise alike, so the plain inverse would promise too much: raw noise n enters as (n ⊛
    // h), and Σ J·(n ⊛ h) = Σ (J ⊛ h)·n, whose covariance is (J ⊛ h)(J ⊛ h)ᵀ.
    const Eigen::Matrix<float, 6, 1> one = alongOne_.cast<float>(), along = alongT_.cast<float>();
    blurredMoments(l, weight_.data(), texture_.data(), gx_.data(), gy_.data(), one.data(), along.data(), moments);
    const Eigen::Map<const Eigen::Matrix<double, 6, 6>> noise(moments[0]);
    // What each model lets change, as columns over (tx, ty, a, b, c, d).
    Eigen::Matrix<double, 6, 2> shift = Eigen::Matrix<double, 6, 2>::Identity();
    Eigen::Matrix<double, 6, 4> similar = Eigen::Matrix<double, 6, 4>::Identity();
    similar(2, 2) = similar(5, 2) = similar(4, 3) = 1, similar(3, 3) = -1;
    if (!invert<2>(shift, normal, inverse_[size_t(MotionModel::translation)]) ||
        !invert<4>(similar, normal, inverse_[size_t(MotionModel::similarity)]) ||
        !invert<6>(Eigen::Matrix<double, 6, 6>::Identity(), normal, inverse_[size_t(MotionModel::affine)]))
        return;
    for (size_t m = 0; m < 3; ++m) spread_[m] = inverse_[m].topRows<2>() * noise * inverse_[m].topRows<2>().transpose();
    usable_ = true;
}

void ReferencePatch::addResidual(const std::vector<float>& samples, std::vector<float>& squares) const {
    if (!usable_ || samples.size() != plain_.size()) return;
    squares.resize(samples.size(), 0);
    const Eigen::Map<const Eigen::VectorXf> I(samples.data(), Eigen::Index(samples.size())),
        w(weight_.data(), I.size()), T(texture_.data(), I.size());
    const double gain = double(I.dot(T)) / power_;
    if (!(gain > 0.05)) return;
    const double pixels = double(layout_->side) * layout_->side;
    addSquares(samples.data(), plain_.data(), int(samples.size()), float(1 / gain),
               float(double(I.dot(w)) / pixels / gain - mean_), squares.data());
}

void ReferencePatch::weigh(const std::vector<float>& squares, int frames) {
    if (!usable_ || squares.size() != layout_->pixel.size() || frames < 1) return;
    // A pixel's own few frames say little: its neighbours are asked as well, since surfaces are larger than pixels.
    const int side = 2 * radius_ + 1;
    std::vector<float> square(size_t(side * side)), smooth(size_t(side * side));
    for (size_t i = 0; i < squares.size(); ++i)
        if (layout_->pixel[i] >= 0) square[size_t(layout_->pixel[i])] = squares[i];
    for (int y = 0; y < side; ++y)
        for (int x = 0; x < side; ++x) {
            float sum = 0, n = 0;
            for (int j = std::max(0, y - 1); j <= std::min(side - 1, y + 1); ++j)
                for (int i = std::max(0, x - 1); i <= std::min(side - 1, x + 1); ++i)
                    sum += square[size_t(j * side + i)], ++n;
            smooth[size_t(y * side + x)] = sum / n / float(frames);
        }
    // Steep positions always leave more (sampling, a hundredth of a pixel of misplacement): what counts is what is left
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
    const double distortion = n * g2 - g1 * g1;
    const double slope = distortion > 0 ? std::max(0.0, (n * v1 - g1 * v0) / distortion) : 0;
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

ReferencePatch ReferencePatch::blurredAlong(const Eigen::Vector2d& sweep, const Eigen::Vector2d& distortion) const {
    ReferencePatch out;
    out.x_ = x_, out.y_ = y_, out.radius_ = radius_, out.layout_ = layout_;
    // The curve's own length hardly differs from its chord's.
    const double length = sweep.norm() + 0.5 * distortion.norm();
    const int margin = int(std::ceil(length / 2)) + 2;
    if (!usable_ || !(length > 0.5) || windowMargin_ - margin < 1) return out;
    // Gradients look one pixel beyond the patch; more is not asked of a blurred one.
    out.windowMargin_ = std::min(2, windowMargin_ - margin);
    const int reach = radius_ + out.windowMargin_, n = 2 * reach + 1;
    out.window_ = Luma(n, n);
    const int samples = int(std::ceil(length)) + 2;
    const int whole = (n + PatchLayout::lanes - 1) / PatchLayout::lanes * PatchLayout::lanes;
    const auto beyond = double(windowMargin_ - out.windowMargin_);
    thread_local std::vector<float> sum;
    sum.assign(size_t(whole) * size_t(n), 0.0f);
    for (int k = 0; k < samples; ++k) {
        const double t = (k + 0.5) / samples - 0.5;
        // What the shutter's middle shows at u was at u less the way there.
        const Eigen::Vector2d from = Eigen::Vector2d::Constant(beyond) - (t * sweep + t * t * distortion);
        addShifted(window_.data.data(), window_.width, float(from.x()), float(from.y()), n, n, 1.0f / float(samples),
                   sum.data(), whole);
    }
    for (int y = 0; y < n; ++y) std::copy_n(sum.data() + std::ptrdiff_t(y) * whole, n, out.window_.row(y));
    out.prepareEvenly();
    return out;
}

ReferencePatch::Seen ReferencePatch::pictureFor(const Pyramid& picture, const Eigen::Matrix2d& shape) {
    const double size = std::sqrt(std::fabs(shape.determinant()));
    int level = 0;
    while (level + 1 < picture.levels() && size > coarserFrom * (1 << level)) ++level;
    const bool between = level == 0 && size > softerFrom;
    return {between ? picture.softer() : picture.level(level), double(1 << level)};
}

std::optional<ReferencePatch::Result> ReferencePatch::registerIn(const Pyramid& pyramid, const Placement& start,
                                                                 const Options& options) const {
    if (!usable_ || !start.at.allFinite() || !start.shape.allFinite()) return std::nullopt;
    const auto [picture, unit] = pictureFor(pyramid, start.shape);
    thread_local std::vector<float> own;
    std::vector<float>& samples = options.samples ? *options.samples : own;
    samples.resize(plain_.size());
    const int pixels = (2 * radius_ + 1) * (2 * radius_ + 1);
    const Eigen::Matrix<double, 6, 6>& inverse = inverse_[size_t(options.model)];
    Result result;
    Placement p{start.shape / unit, start.at / unit}, last = p;
    const PatchLayout& l = *layout_;
    const int laneSums = 9 * PatchLayout::lanes, bandSums = l.chunks * laneSums;
    thread_local std::vector<float> sums;
    sums.resize(size_t(3 * bandSums));
    double total[9] = {}, lastStep = 1e9;
    for (int i = 0; i < options.iterations; ++i) {
        if (!p.at.allFinite() || !p.shape.allFinite() || !inside(picture, p, radius_)) return std::nullopt;
        const float m[6] = {float(p.shape(0, 0)), float(p.shape(0, 1)), float(p.shape(1, 0)),
                            float(p.shape(1, 1)), float(p.at.x()),      float(p.at.y())};
        sampleCubic(picture.data.data(), picture.width, l.u.data(), l.v.data(), l.count(), m, samples.data());
        for (int band = 0; band < 3; ++band)
            projectRows(l, l.cut(band), l.cut(band + 1), samples.data(), float(mean_), weight_.data(), texture_.data(),
                        gx_.data(), gy_.data(), sums.data() + band * bandSums);
        for (int k = 0; k < 9; ++k) {
            float lanes[PatchLayout::lanes] = {};
            for (int c = 0; c < 3 * l.chunks; ++c)
                for (int lane = 0; lane < PatchLayout::lanes; ++lane)
                    lanes[lane] += sums[size_t(c * laneSums + k * PatchLayout::lanes + lane)];
            total[k] = 0;
            for (const float lane : lanes) total[k] += double(lane);
        }
        result.iterations = i + 1;
        result.gain = total[2] / power_;
        if (!(result.gain > 0.05)) return std::nullopt;
        last = p;
        Eigen::Matrix<double, 6, 1> d;
        for (int k = 0; k < 6; ++k)
            d(k) = (total[3 + k] - alongOne_(k) * total[0] - alongT_(k) * total[2]) / result.gain;
        d = (inverse * d).eval();
        Eigen::Matrix2d change;
        change << 1 + d(2), d(3), d(4), 1 + d(5);
        const double det = change.determinant();
        if (!(det > 0.3 && det < 3)) return std::nullopt;
        p.shape = p.shape * change.inverse();
        const Eigen::Vector2d shift = p.shape * d.head<2>();
        p.at -= shift;
        const double step = unit * shift.norm();
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
    last.shape *= unit;
    result.covariance = rawNoise * (last.shape * spread_[size_t(options.model)] * last.shape.transpose());
    // Σ over the parts of (what the part's residual would move the position by)².
    const double bias = total[0] / pixels;
    Eigen::Matrix<double, 9, parts> partSums = Eigen::Matrix<double, 9, parts>::Zero();
    PartSums::addByThird(l, sums.data(), partSums);
    Eigen::Matrix2d scatter = Eigen::Matrix2d::Zero();
    for (int part = 0; part < parts; ++part) {
        Eigen::Matrix<double, 6, 1> pull;
        for (int k = 0; k < 6; ++k)
            pull(k) = (partSums(3 + k, part) - alongOne_(k) * partSums(0, part) - alongT_(k) * partSums(2, part) -
                       bias * partWithOne_(k, part)) /
                          result.gain -
                      partWithT_(k, part);
        const Eigen::Vector2d moves = last.shape * (inverse.topRows<2>() * pull);
        scatter += moves * moves.transpose();
    }
    result.scatter = scatter * (double(parts) / (parts - 1));
    // The last step is taken as well: what it leaves is a fraction of it.
    result.placement = {unit * p.shape, unit * p.at};
    return result;
}

}  // namespace va
