// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <cmath>

namespace va {

/// The rotation about a vector's axis by its length, in radians: Rodrigues' formula
/// R = 1 + sin(a)/a [v]× + (1 − cos(a))/a² [v]×². Small angles, which the rows of a picture turn by, take the series of
/// both factors: up to a tenth of a radian their first left-out terms lie below 1e-16.
inline Eigen::Matrix3d rotationBy(const Eigen::Vector3d& v) {
    const double squared = v.squaredNorm();
    double sine = 0, rest = 0;  // sin(a)/a, (1 − cos(a))/a²
    if (squared < 0.01) {
        sine = 1 - squared / 6 * (1 - squared / 20 * (1 - squared / 42 * (1 - squared / 72)));
        rest = 0.5 - squared / 24 * (1 - squared / 30 * (1 - squared / 56 * (1 - squared / 90)));
    } else {
        const double angle = std::sqrt(squared);
        sine = std::sin(angle) / angle;
        rest = (1 - std::cos(angle)) / squared;
    }
    Eigen::Matrix3d out = rest * v * v.transpose();
    out.diagonal().array() += 1 - rest * squared;
    out(0, 1) -= sine * v.z(), out(1, 0) += sine * v.z();
    out(0, 2) += sine * v.y(), out(2, 0) -= sine * v.y();
    out(1, 2) -= sine * v.x(), out(2, 1) += sine * v.x();
    return out;
}

}  // namespace va
