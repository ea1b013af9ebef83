// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <algorithm>
#include <cmath>

namespace va {

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

/// Sum of Cauchy's loss over residuals. A logarithm of a product is a sum of logarithms: one is taken for many.
class LossSum {
  public:
    explicit LossSum(const Loss& loss) : scale2_(loss.scale2) {}
    void add(double s) {
        if (scale2_ <= 0) {
            sum_ += s;
            return;
        }
        product_ *= 1 + s / scale2_;
        if (product_ < 1e150) return;
        sum_ += scale2_ * std::log(product_);
        product_ = 1;
    }
    [[nodiscard]] double total() const {
        return 0.5 * (scale2_ > 0 && product_ != 1 ? sum_ + scale2_ * std::log(product_) : sum_);
    }

  private:
    double scale2_, sum_ = 0, product_ = 1;
};

}  // namespace va
