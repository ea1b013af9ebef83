// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Geometry>
#include <string_view>

namespace va {

/// The six orders of three turns about fixed axes, by the axes in the order in which they are turned about: "XYZ" turns
/// about the fixed X first, R = Rz · Ry · Rx. (About axes that turn along it is the other way round.)
inline constexpr const char* eulerOrders[] = {"XYZ", "XZY", "YXZ", "YZX", "ZXY", "ZYX"};

/// Angles about X, Y and Z in radians (not in the order of turning). The middle turn lies within ± 90°; at its ends
/// (gimbal lock) the last turn is 0, and the rotation is the same. Order as in eulerOrders.
Eigen::Vector3d eulerFrom(const Eigen::Quaterniond& rotation, std::string_view order);
/// The rotation again.
Eigen::Quaterniond rotationFromEuler(const Eigen::Vector3d& angles, std::string_view order);
/// Whether an order is one of the six.
bool isEulerOrder(std::string_view order);

}  // namespace va
