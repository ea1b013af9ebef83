// SPDX-License-Identifier: GPL-3.0-or-later
#include "lens/distortion.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace va {
namespace {

constexpr std::array brownNames{"k1", "k2", "k3", "p1", "p2", "k4", "k5", "k6"};
constexpr std::array divisionNames{"lambda"};
constexpr std::array fisheyeNames{"k1", "k2", "k3", "k4"};
constexpr std::array anamorphicNames{"axis_rotation", "squeeze_rest", "h_xx", "h_yy",   "h_xxxx", "h_xxyy",
                                     "h_yyyy",        "v_xx",         "v_yy", "v_xxxx", "v_xxyy", "v_yyyy"};

/// A purely radial distortion: distorted = undistorted · g(r²).
struct Radial {
    double g = 1;      ///< factor
    double slope = 0;  ///< dg / d(r²)
};

Eigen::Vector2d radially(const Radial& radial, const Eigen::Vector2d& s, Eigen::Matrix2d* jacobian) {
    if (jacobian) *jacobian = radial.g * Eigen::Matrix2d::Identity() + 2 * radial.slope * (s * s.transpose());
    return radial.g * s;
}

Eigen::Vector2d distortBrown(const double* v, const Eigen::Vector2d& s, Eigen::Matrix2d* jacobian,
                             LensValueJacobian* byValues) {
    const double x = s.x(), y = s.y(), q = s.squaredNorm(), p1 = v[3], p2 = v[4];
    const double over = 1 + q * (v[0] + q * (v[1] + q * v[2])), overSlope = v[0] + q * (2 * v[1] + q * 3 * v[2]);
    if (!byValues && v[5] == 0 && v[6] == 0 && v[7] == 0 && p1 == 0 && p2 == 0)
        return radially({over, overSlope}, s, jacobian);  // what most lenses have, at half the price
    double under = 1 + q * (v[5] + q * (v[6] + q * v[7]));
    const double underSlope = v[5] + q * (2 * v[6] + q * 3 * v[7]);
    if (std::fabs(under) < 1e-9) under = 1e-9;
    const double g = over / under;
    const Eigen::Vector2d out = radially({g, (overSlope - g * underSlope) / under}, s, jacobian);
    if (jacobian) {
        Eigen::Matrix2d tangential;
        tangential << 2 * p1 * y + 6 * p2 * x, 2 * p1 * x + 2 * p2 * y, 2 * p1 * x + 2 * p2 * y,
            6 * p1 * y + 2 * p2 * x;
        *jacobian += tangential;
    }
    if (byValues) {
        double power = q;
        const double inverse = 1 / under;
        for (int k = 0; k < 3; ++k, power *= q) {
            const double share = power * inverse;
            byValues->col(k) = s * share;
            byValues->col(5 + k) = s * (-g * share);
        }
        byValues->col(3) = Eigen::Vector2d(2 * x * y, q + 2 * y * y);
        byValues->col(4) = Eigen::Vector2d(q + 2 * x * x, 2 * x * y);
    }
    return out + Eigen::Vector2d(2 * p1 * x * y + p2 * (q + 2 * x * x), p1 * (q + 2 * y * y) + 2 * p2 * x * y);
}

Eigen::Vector2d distortDivision(const double* v, const Eigen::Vector2d& s, Eigen::Matrix2d* jacobian,
                                LensValueJacobian* byValues) {
    // The smaller root of lambda r r_d² − r_d + r = 0.
    const double q = s.squaredNorm(), under = 1 - 4 * v[0] * q;
    if (byValues) byValues->col(0).setZero();
    if (under <= 0) return radially({2, -2 / q}, s, jacobian);  // no such position: falling, so that the fold is seen
    const double root = std::sqrt(std::max(1e-12, under));
    const double rate = 4 / (root * (1 + root) * (1 + root));
    if (byValues) byValues->col(0) = s * (rate * q);
    return radially({2 / (1 + root), rate * v[0]}, s, jacobian);
}

Eigen::Vector2d distortFisheye(const double* v, const Eigen::Vector2d& s, Eigen::Matrix2d* jacobian,
                               LensValueJacobian* byValues) {
    const double q = s.squaredNorm(), r = std::sqrt(q), angle = std::atan(r), a2 = angle * angle;
    const double stretch = 1 + a2 * (v[0] + a2 * (v[1] + a2 * (v[2] + a2 * v[3])));
    // angle / r and its slope against r², by their series where r is tiny.
    const bool tiny = r < 1e-4;
    const double share = tiny ? 1 - q / 3 : angle / r;
    if (byValues)
        for (int k = 0; k < 4; ++k) byValues->col(k) = s * (share * std::pow(a2, k + 1));
    Radial radial{share * stretch, 0};
    if (tiny) radial.slope = v[0] - 1.0 / 3;
    else {
        const double growth = 1 + a2 * (3 * v[0] + a2 * (5 * v[1] + a2 * (7 * v[2] + a2 * 9 * v[3])));
        radial.slope = (growth / (1 + q) - radial.g) / (2 * q);
    }
    return radially(radial, s, jacobian);
}

Eigen::Vector2d distortAnamorphic(const double* v, const Eigen::Vector2d& s, Eigen::Matrix2d* jacobian,
                                  LensValueJacobian* byValues) {
    const double c = std::cos(v[0]), n = std::sin(v[0]);
    Eigen::Matrix2d toLens;
    toLens << c, n, -n, c;
    const Eigen::Vector2d p = toLens * s;
    const double xx = p.x() * p.x(), yy = p.y() * p.y();
    const double terms[5] = {xx, yy, xx * xx, xx * yy, yy * yy};
    // Of the terms, against x and y.
    const double byX[5] = {2 * p.x(), 0, 4 * p.x() * xx, 2 * p.x() * yy, 0};
    const double byY[5] = {0, 2 * p.y(), 0, 2 * p.y() * xx, 4 * p.y() * yy};
    const double scale[2] = {1 + v[1], 1};
    Eigen::Vector2d distorted;
    Eigen::Matrix2d inner;
    LensValueJacobian values = LensValueJacobian::Zero();
    for (int axis = 0; axis < 2; ++axis) {
        const double* k = v + 2 + 5 * axis;
        double stretch = 1, dx = 0, dy = 0;
        for (int i = 0; i < 5; ++i) {
            stretch += k[i] * terms[i], dx += k[i] * byX[i], dy += k[i] * byY[i];
            values(axis, 2 + 5 * axis + i) = scale[axis] * p(axis) * terms[i];
        }
        distorted(axis) = scale[axis] * p(axis) * stretch;
        inner(axis, 0) = scale[axis] * (p(axis) * dx + (axis == 0 ? stretch : 0));
        inner(axis, 1) = scale[axis] * (p(axis) * dy + (axis == 1 ? stretch : 0));
        if (axis == 0) values(0, 1) = p.x() * stretch;
    }
    if (jacobian) *jacobian = toLens.transpose() * inner * toLens;
    if (byValues) {
        Eigen::Matrix2d turned;  // d toLens / d turn
        turned << -n, c, -c, -n;
        *byValues = toLens.transpose() * values;
        byValues->col(0) = turned.transpose() * distorted + toLens.transpose() * (inner * (turned * s));
    }
    return toLens.transpose() * distorted;
}

}  // namespace

std::string currentLensValueName(const std::string& name) {
    if (name == "turn") return "axis_rotation";
    if (name == "squeeze") return "squeeze_rest";
    if (name.size() != 3 || (name[0] != 'x' && name[0] != 'y')) return name;
    const int across = name[1] - '0', down = name[2] - '0';
    if (across < 0 || down < 0 || (across + down != 2 && across + down != 4)) return name;
    return std::string(name[0] == 'x' ? "h_" : "v_") + std::string(size_t(across), 'x') +
           std::string(size_t(down), 'y');
}

std::span<const char* const> lensValueNames(LensKind kind) {
    switch (kind) {
        case LensKind::division: return divisionNames;
        case LensKind::fisheye: return fisheyeNames;
        case LensKind::anamorphic: return anamorphicNames;
        case LensKind::brownConrady: break;
    }
    return brownNames;
}

const char* lensKindName(LensKind kind) {
    constexpr const char* names[lensKinds] = {"brown-conrady", "division", "fisheye", "anamorphic"};
    return names[size_t(kind)];
}

Eigen::Vector2d distortPoint(LensKind kind, const double* values, const Eigen::Vector2d& undistorted,
                             Eigen::Matrix2d* jacobian, LensValueJacobian* byValues) {
    switch (kind) {
        case LensKind::division: return distortDivision(values, undistorted, jacobian, byValues);
        case LensKind::fisheye: return distortFisheye(values, undistorted, jacobian, byValues);
        case LensKind::anamorphic: return distortAnamorphic(values, undistorted, jacobian, byValues);
        case LensKind::brownConrady: break;
    }
    return distortBrown(values, undistorted, jacobian, byValues);
}

}  // namespace va
