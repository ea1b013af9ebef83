// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <limits>
#include <optional>
#include <string>
#include <string_view>

#include "lens/distortion.h"

namespace va {

/// A lens: how the undistorted picture is distorted, both ways, and how far out that has a meaning. See LensKind for
/// the formulas and the frame.
class LensModel {
  public:
    /// A lens that distorts nothing.
    LensModel() = default;
    explicit LensModel(LensKind kind);
    static LensModel brownConrady(double k1, double k2 = 0, double k3 = 0, double p1 = 0, double p2 = 0);

    [[nodiscard]] LensKind kind() const { return kind_; }
    /// Numbers of this kind, in the order of lensValueNames.
    [[nodiscard]] int count() const { return int(lensValueNames(kind_).size()); }
    [[nodiscard]] double value(int index) const { return values_[size_t(index)]; }
    [[nodiscard]] const double* values() const { return values_.data(); }
    /// By name; 0 where this kind has no such number.
    [[nodiscard]] double value(std::string_view name) const;
    void setValue(int index, double value);
    /// By name; false where this kind has no such number.
    bool setValue(std::string_view name, double value);
    /// All numbers at once; `values` has count() of them.
    void setValues(const double* values);

    /// Distorts an undistorted point. With `jacobian`, also d(distorted)/d(undistorted).
    [[nodiscard]] Eigen::Vector2d distort(const Eigen::Vector2d& undistorted,
                                          Eigen::Matrix2d* jacobian = nullptr) const {
        return distortPoint(kind_, values_.data(), undistorted, jacobian);
    }
    /// Undistorts a distorted point to better than 1e-12 by Newton's method from a radial start, or nothing where no
    /// undistorted point inside the fold radius distorts to it.
    [[nodiscard]] std::optional<Eigen::Vector2d> undistort(const Eigen::Vector2d& distorted) const;

    /// Undistorted radius up to which the distorted picture keeps growing outward: beyond it the model folds over and
    /// has no meaning. Infinity for a model that never folds. Tangential terms, which are small, do not count; of a
    /// lens that distorts differently along its axes it is the smallest over all directions.
    [[nodiscard]] double foldRadius() const { return fold_; }
    /// True where all numbers are 0 and the formula then leaves everything in place (a fisheye never does).
    [[nodiscard]] bool isZero() const { return zero_; }
    /// "k1 −0.2200, k2 0.0312", without the numbers that are 0.
    [[nodiscard]] std::string brief() const;

    friend bool operator==(const LensModel& a, const LensModel& b) {
        return a.kind_ == b.kind_ && a.values_ == b.values_;
    }

  private:
    void settle();

    LensKind kind_ = LensKind::brownConrady;
    std::array<double, mostLensValues> values_{};
    double fold_ = std::numeric_limits<double>::infinity();
    bool zero_ = true;
};

}  // namespace va
