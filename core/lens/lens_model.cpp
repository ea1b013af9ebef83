// SPDX-License-Identifier: GPL-3.0-or-later
#include "lens/lens_model.h"
#include "base/text.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <cstdio>

namespace va {
namespace {

/// Undistorted radius where the distorted picture stops growing along a direction.
double foldAlong(LensKind kind, const double* values, const Eigen::Vector2d& direction) {
    const auto grows = [&](double r) {
        Eigen::Matrix2d j;
        distortPoint(kind, values, r * direction, &j);
        return direction.dot(j * direction) > 0 && j.determinant() > 0;
    };
    double low = 0;
    for (double r = 0.1; r < 100; r *= 1.025) {
        if (!grows(r)) {
            double high = r;
            for (int i = 0; i < 50; ++i) {
                const double middle = (low + high) / 2;
                (grows(middle) ? low : high) = middle;
            }
            return low;
        }
        low = r;
    }
    return std::numeric_limits<double>::infinity();
}

}  // namespace

LensModel::LensModel(LensKind kind) : kind_(kind) { settle(); }

LensModel LensModel::brownConrady(double k1, double k2, double k3, double p1, double p2) {
    LensModel m;
    m.values_ = {k1, k2, k3, p1, p2};
    m.settle();
    return m;
}

double LensModel::value(std::string_view name) const {
    const auto names = lensValueNames(kind_);
    for (size_t i = 0; i < names.size(); ++i)
        if (names[i] == name) return values_[i];
    return 0;
}

void LensModel::setValue(int index, double value) {
    values_[size_t(index)] = value;
    settle();
}

bool LensModel::setValue(std::string_view name, double value) {
    const auto names = lensValueNames(kind_);
    for (size_t i = 0; i < names.size(); ++i)
        if (names[i] == name) {
            setValue(int(i), value);
            return true;
        }
    return false;
}

void LensModel::setValues(const double* values) {
    std::copy_n(values, count(), values_.begin());
    settle();
}

void LensModel::settle() {
    zero_ = kind_ != LensKind::fisheye && std::all_of(values_.begin(), values_.end(), [](double v) { return v == 0; });
    fold_ = std::numeric_limits<double>::infinity();
    // A fisheye takes in all of the undistorted plane as long as it grows with the angle, and that is the same test.
    if (zero_) return;
    auto radial = values_;
    if (kind_ == LensKind::brownConrady) radial[3] = radial[4] = 0;
    const int directions = kind_ == LensKind::anamorphic ? 12 : 1;
    for (int i = 0; i < directions; ++i) {
        const double turn = M_PI * i / directions + (directions > 1 ? values_[0] : 0);
        fold_ = std::min(fold_, foldAlong(kind_, radial.data(), {std::cos(turn), std::sin(turn)}));
    }
}

std::optional<Eigen::Vector2d> LensModel::undistort(const Eigen::Vector2d& distorted) const {
    if (!distorted.allFinite()) return std::nullopt;
    if (zero_) return distorted;
    const double target = distorted.norm();
    if (target == 0) return distort(Eigen::Vector2d::Zero()) == distorted ? std::optional(distorted) : std::nullopt;
    // Along the direction of the point the radius grows up to the fold: a bracketed Newton there gives the start, two
    // dimensions finish it.
    const Eigen::Vector2d direction = distorted / target;
    const auto distortedRadius = [&](double r, double* slope) {
        Eigen::Matrix2d j;
        const double out = direction.dot(distort(r * direction, &j));
        if (slope) *slope = direction.dot(j * direction);
        return out;
    };
    double low = 0, high = std::isfinite(fold_) ? fold_ : std::max(1.0, 2 * target);
    while (!std::isfinite(fold_) && distortedRadius(high, nullptr) < target && high < 1e6) high *= 2;
    double r = std::min(target, high);
    for (int i = 0; i < 60; ++i) {
        double slope = 0;
        const double error = distortedRadius(r, &slope) - target;
        (error > 0 ? high : low) = r;
        double next = slope > 0 ? r - error / slope : high;
        if (!(next > low && next < high)) next = (low + high) / 2;
        if (std::fabs(next - r) < 1e-15 * (1 + r)) break;
        r = next;
    }
    Eigen::Vector2d s = r * direction;
    for (int i = 0; i < 20; ++i) {
        Eigen::Matrix2d j;
        const Eigen::Vector2d error = distort(s, &j) - distorted;
        if (error.norm() < 1e-14 * (1 + target)) break;
        if (!(j.determinant() > 1e-12)) return std::nullopt;
        s -= j.inverse() * error;
    }
    if (!s.allFinite() || (distort(s) - distorted).norm() > 1e-12 * (1 + target) || s.norm() > fold_ * (1 + 1e-12))
        return std::nullopt;
    return s;
}

std::string LensModel::brief() const {
    std::string out;
    const auto names = lensValueNames(kind_);
    for (int i = 0; i < count(); ++i) {
        if (value(i) == 0) continue;
        out += text("%s%s %s%.4f", out.empty() ? "" : ", ", names[size_t(i)], value(i) < 0 ? "−" : "",
                    std::fabs(value(i)));
    }
    return out.empty() ? "no distortion" : out;
}

}  // namespace va
