// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/euler.h"

#include <algorithm>
#include <cmath>

namespace va {

bool isEulerOrder(std::string_view order) {
    return std::any_of(std::begin(eulerOrders), std::end(eulerOrders), [&](const char* o) { return order == o; });
}

Eigen::Quaterniond rotationFromEuler(const Eigen::Vector3d& angles, std::string_view order) {
    Eigen::Quaterniond out = Eigen::Quaterniond::Identity();
    for (const char c : order) {
        const int axis = c - 'X';
        out = Eigen::AngleAxisd(angles[axis], Eigen::Vector3d::Unit(axis)) * out;
    }
    return out.normalized();
}

Eigen::Vector3d eulerFrom(const Eigen::Quaterniond& rotation, std::string_view order) {
    const int i = order[0] - 'X', j = order[1] - 'X', k = order[2] - 'X';
    // 1 where the axes follow each other in cyclic order.
    const double sign = (i + 1) % 3 == j ? 1 : -1;
    const Eigen::Matrix3d r = rotation.normalized().toRotationMatrix();
    Eigen::Vector3d out;
    // R = Rk Rj Ri: its row k holds the middle turn.
    const double level = std::hypot(r(i, i), r(j, i));
    out[j] = std::atan2(-sign * r(k, i), level);
    if (level > 1e-9) {
        out[i] = std::atan2(sign * r(k, j), r(k, k));
        out[k] = std::atan2(sign * r(j, i), r(i, i));
    } else {
        out[k] = 0;
        out[i] = std::atan2(-sign * r(j, k), r(j, j));
    }
    return out;
}

}  // namespace va
