// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/similarity.h"

#include <Eigen/LU>

#include "base/svd3.h"

namespace va {

Similarity similarityBetween(const Eigen::Matrix3Xd& from, const Eigen::Matrix3Xd& to) {
    Similarity out;
    if (from.cols() == 0 || from.cols() != to.cols()) return out;
    const Eigen::Vector3d fromMiddle = from.rowwise().mean(), toMiddle = to.rowwise().mean();
    const Eigen::Matrix3Xd a = from.colwise() - fromMiddle, b = to.colwise() - toMiddle;
    const Svd3 svd = svd3(b * a.transpose());
    const Eigen::Vector3d sign(1, 1, (svd.u * svd.v.transpose()).determinant() < 0 ? -1 : 1);
    const double spread = a.squaredNorm();
    out.scale = spread > 0 ? svd.s.dot(sign) / spread : 0;
    const Eigen::Matrix3d rotation = svd.u * sign.asDiagonal() * svd.v.transpose();
    out.rotation = Eigen::Quaterniond(rotation).normalized();
    out.translation = toMiddle - out.scale * (rotation * fromMiddle);
    return out;
}

}  // namespace va
