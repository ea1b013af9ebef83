// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/svd3.h"

#include <Eigen/LU>
#include <Eigen/SVD>

namespace va {

Svd3 svd3(const Eigen::Matrix3d& m) {
    const Eigen::JacobiSVD<Eigen::Matrix3d> svd(m, Eigen::ComputeFullU | Eigen::ComputeFullV);
    return {svd.matrixU(), svd.matrixV(), svd.singularValues()};
}

Eigen::Matrix3d nearestRotation(const Eigen::Matrix3d& m) {
    const Svd3 svd = svd3(m);
    const Eigen::Vector3d sign(1, 1, (svd.u * svd.v.transpose()).determinant() < 0 ? -1 : 1);
    return svd.u * sign.asDiagonal() * svd.v.transpose();
}

}  // namespace va
