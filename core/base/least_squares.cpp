// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/least_squares.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace va {
namespace {

Eigen::MatrixXd jacobian(const Eigen::VectorXd& x, Eigen::Index rows, const ResidualsAt& residuals) {
    Eigen::MatrixXd j(rows, x.size());
    for (Eigen::Index k = 0; k < x.size(); ++k) {
        const double h = 1e-6 * std::max(1.0, std::fabs(x(k)));
        Eigen::VectorXd high = x, low = x;
        high(k) += h, low(k) -= h;
        j.col(k) = (residuals(high) - residuals(low)) / (2 * h);
    }
    return j;
}

}  // namespace

LeastSquares leastSquares(Eigen::VectorXd x, const ResidualsAt& residuals, int rounds) {
    LeastSquares out;
    Eigen::VectorXd r = residuals(x);
    double damping = 1e-3;
    for (int round = 0; round < rounds && damping < 1e9; ++round) {
        const Eigen::MatrixXd j = jacobian(x, r.size(), residuals);
        if (!j.allFinite()) break;
        const Eigen::MatrixXd normal = j.transpose() * j;
        const Eigen::VectorXd slope = j.transpose() * r;
        bool better = false, settled = false;
        for (int attempt = 0; attempt < 8 && !better; ++attempt) {
            Eigen::MatrixXd damped = normal;
            damped.diagonal().array() += damping * (normal.diagonal().array() + 1e-9);
            const Eigen::VectorXd next = x - damped.ldlt().solve(slope);
            const Eigen::VectorXd then = residuals(next);
            if (then.allFinite() && then.squaredNorm() < r.squaredNorm()) {
                settled = r.squaredNorm() - then.squaredNorm() < 1e-12 * (1e-12 + r.squaredNorm());
                x = next, r = then, damping = std::max(1e-12, 0.1 * damping), better = true;
            } else {
                damping *= 10;
            }
        }
        if (!better || settled) break;
    }
    out.x = x;
    out.cost = r.squaredNorm();
    const Eigen::MatrixXd j = jacobian(x, r.size(), residuals);
    Eigen::MatrixXd normal = j.transpose() * j;
    normal.diagonal().array() += 1e-12;
    out.covariance = normal.ldlt().solve(Eigen::MatrixXd::Identity(x.size(), x.size()));
    return out;
}

}  // namespace va
