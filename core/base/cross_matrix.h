// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>

namespace va {

/// The matrix [v]× with [v]× w = v × w.
inline Eigen::Matrix3d crossMatrix(const Eigen::Vector3d& v) {
    Eigen::Matrix3d m;
    m << 0, -v.z(), v.y(), v.z(), 0, -v.x(), -v.y(), v.x(), 0;
    return m;
}

}  // namespace va
