// SPDX-License-Identifier: GPL-3.0-or-later
#include "lens/brown_conrady.h"

#include <Eigen/LU>
#include <cmath>
#include <limits>

namespace va {

Eigen::Vector2d BrownConrady::distort(const Eigen::Vector2d& s, Eigen::Matrix2d* jacobian) const {
    const double x = s.x(), y = s.y(), r2 = x * x + y * y;
    const double radial = 1 + r2 * (k1 + r2 * (k2 + r2 * k3));
    if (jacobian) {
        const double slope = k1 + r2 * (2 * k2 + r2 * 3 * k3);  // d radial / d r²
        (*jacobian)(0, 0) = radial + 2 * x * x * slope + 2 * p1 * y + 6 * p2 * x;
        (*jacobian)(0, 1) = 2 * x * y * slope + 2 * p1 * x + 2 * p2 * y;
        (*jacobian)(1, 0) = 2 * x * y * slope + 2 * p1 * x + 2 * p2 * y;
        (*jacobian)(1, 1) = radial + 2 * y * y * slope + 6 * p1 * y + 2 * p2 * x;
    }
    return {x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x), y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y};
}

double BrownConrady::foldRadius() const {
    // Smallest root of 1 + 3 k1 q + 5 k2 q² + 7 k3 q³ with q = r²: walk out until the sign changes, then halve.
    const auto growth = [&](double q) { return 1 + q * (3 * k1 + q * (5 * k2 + q * 7 * k3)); };
    double low = 0;
    for (double q = 0.01; q < 1e4; q *= 1.05) {
        if (growth(q) <= 0) {
            double high = q;
            for (int i = 0; i < 60; ++i) {
                const double middle = (low + high) / 2;
                (growth(middle) > 0 ? low : high) = middle;
            }
            return std::sqrt(low);
        }
        low = q;
    }
    return std::numeric_limits<double>::infinity();
}

std::optional<Eigen::Vector2d> BrownConrady::undistort(const Eigen::Vector2d& bent) const {
    if (!bent.allFinite()) return std::nullopt;
    if (isZero()) return bent;
    // The radial part alone is monotonic up to the fold: a bracketed Newton gives the start, two dimensions finish it.
    const double target = bent.norm();
    const double fold = foldRadius();
    const auto bentRadius = [&](double r) {
        const double q = r * r;
        return r * (1 + q * (k1 + q * (k2 + q * k3)));
    };
    double low = 0, high = std::isfinite(fold) ? fold : std::max(1.0, 2 * target);
    while (!std::isfinite(fold) && bentRadius(high) < target && high < 1e6) high *= 2;
    double r = std::min(target, high);
    for (int i = 0; i < 50; ++i) {
        const double error = bentRadius(r) - target;
        (error > 0 ? high : low) = r;
        const double q = r * r, slope = 1 + q * (3 * k1 + q * (5 * k2 + q * 7 * k3));
        double next = slope > 0 ? r - error / slope : high;
        if (!(next > low && next < high)) next = (low + high) / 2;
        if (std::fabs(next - r) < 1e-15 * (1 + r)) break;
        r = next;
    }
    Eigen::Vector2d s = target > 0 ? Eigen::Vector2d(bent * (r / target)) : bent;
    for (int i = 0; i < 20; ++i) {
        Eigen::Matrix2d j;
        const Eigen::Vector2d error = distort(s, &j) - bent;
        if (error.norm() < 1e-14 * (1 + target)) break;
        if (!(j.determinant() > 1e-9)) return std::nullopt;
        s -= j.inverse() * error;
    }
    if (!s.allFinite() || (distort(s) - bent).norm() > 1e-12 * (1 + target) || s.norm() > fold) return std::nullopt;
    return s;
}

}  // namespace va
