// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/plane.h"

#include <Eigen/Eigenvalues>
#include <cmath>

namespace va {

std::optional<PlaneFit> fitPlane(const std::vector<Eigen::Vector3d>& points) {
    if (points.size() < 3) return std::nullopt;
    Eigen::Vector3d middle = Eigen::Vector3d::Zero();
    for (const auto& p : points) middle += p;
    middle /= double(points.size());
    Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
    for (const auto& p : points) spread += (p - middle) * (p - middle).transpose();
    if (!spread.allFinite()) return std::nullopt;
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> eigen(spread);
    if (!(eigen.eigenvalues()(1) > 1e-6 * eigen.eigenvalues()(2))) return std::nullopt;
    PlaneFit fit;
    fit.normal = eigen.eigenvectors().col(0);
    fit.offset = fit.normal.dot(middle);
    double sum = 0;
    for (const auto& p : points) sum += fit.distance(p) * fit.distance(p);
    fit.rms = std::sqrt(sum / double(points.size()));
    return fit;
}

}  // namespace va
