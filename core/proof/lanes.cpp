// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/lanes.h"

#include <cmath>

#include "base/cpu_clones.h"

namespace va {
namespace {

/// sin(2π·turn) for |turn| ≤ 1/4, by its series: within 6e-8.
inline float sineOfTurn(float turn) {
    constexpr float twoPi = 6.2831853F;
    const float z = twoPi * turn, q = z * z;
    return z * (1 + q * (-1 / 6.0F + q * (1 / 120.0F + q * (-1 / 5040.0F + q * (1 / 362880.0F - q / 39916800.0F)))));
}
/// Sine and cosine of 2π·u, u in [0, 1).
inline void turned(float u, float& cosine, float& sine) {
    const float t = 0.5F - u, away = std::fabs(t);  // both turned by half a circle
    const float folded = away > 0.25F ? 0.5F - away : away;
    sine = sineOfTurn(t < 0 ? -folded : folded);
    cosine = -sineOfTurn(0.25F - away);
}

}  // namespace

VA_CPU_CLONES void coneWays(const Eigen::Matrix3f& axes, float cap, const Lanes& u, const Lanes& v, Lanes3& ways) {
    const float ax = axes(0, 0), ay = axes(1, 0), az = axes(2, 0), bx = axes(0, 1), by = axes(1, 1), bz = axes(2, 1),
                cx = axes(0, 2), cy = axes(1, 2), cz = axes(2, 2);
    for (size_t k = 0; k < laneCount; ++k) {
        const float w = u[k] * cap, s = std::sqrt(w * (2 - w)), z = 1 - w;
        float c, d;
        turned(v[k], c, d);
        const float x = s * c, y = s * d;
        ways.x[k] = x * ax + y * bx + z * cx, ways.y[k] = x * ay + y * by + z * cy;
        ways.z[k] = x * az + y * bz + z * cz;
    }
}

VA_CPU_CLONES void cosineWays(const Lanes3& normals, const Lanes& u, const Lanes& v, Lanes3& ways) {
    for (size_t k = 0; k < laneCount; ++k) {
        const float r = std::sqrt(u[k]), z = std::sqrt(1 - u[k]);
        float c, s;
        turned(v[k], c, s);
        const float x = r * c, y = r * s, nx = normals.x[k], ny = normals.y[k], nz = normals.z[k];
        // Axes about the normal as in Axes (surface.h).
        const float sign = nz < 0 ? -1.0F : 1.0F, a = -1 / (sign + nz), b = nx * ny * a;
        ways.x[k] = x * (1 + sign * nx * nx * a) + y * b + z * nx;
        ways.y[k] = x * (sign * b) + y * (sign + ny * ny * a) + z * ny;
        ways.z[k] = x * (-sign * nx) - y * ny + z * nz;
    }
}

Lanes dot(const Lanes3& a, const Lanes3& b) {
    Lanes out;
    for (size_t k = 0; k < laneCount; ++k) out[k] = a.x[k] * b.x[k] + a.y[k] * b.y[k] + a.z[k] * b.z[k];
    return out;
}

VA_CPU_CLONES void addHidden(const LaneSphere& sphere, const Lanes3& places, const Lanes3& normals, Lanes& hidden) {
    const float mx = sphere.middle.x(), my = sphere.middle.y(), mz = sphere.middle.z(), r = sphere.radius;
    for (size_t k = 0; k < laneCount; ++k) {
        const float x = mx - places.x[k], y = my - places.y[k], z = mz - places.z[k];
        const float away = std::sqrt(x * x + y * y + z * z + 1e-12F), share = r / away;
        const float cosine = (x * normals.x[k] + y * normals.y[k] + z * normals.z[k]) / away;
        hidden[k] += share * share * (cosine > share ? cosine : share);
    }
}

VA_CPU_CLONES void markNear(const LaneSphere& sphere, const Lanes3& places, const Eigen::Vector3f& along,
                            float widening, LaneMask& mark) {
    const float mx = sphere.middle.x(), my = sphere.middle.y(), mz = sphere.middle.z(), r = sphere.radius;
    const float ax = along.x(), ay = along.y(), az = along.z();
    for (size_t k = 0; k < laneCount; ++k) {
        const float x = mx - places.x[k], y = my - places.y[k], z = mz - places.z[k];
        const float ahead = x * ax + y * ay + z * az, wide = r + (ahead > 0 ? ahead : 0) * widening;
        const float beside = x * x + y * y + z * z - ahead * ahead;
        mark[k] |= -(int(ahead > -r) & int(beside < wide * wide));
    }
}

VA_CPU_CLONES void markNear(const LaneSphere& sphere, const Lanes3& places, const Lanes3& along, LaneMask& mark) {
    const float mx = sphere.middle.x(), my = sphere.middle.y(), mz = sphere.middle.z(), r = sphere.radius;
    for (size_t k = 0; k < laneCount; ++k) {
        const float x = mx - places.x[k], y = my - places.y[k], z = mz - places.z[k];
        const float ahead = x * along.x[k] + y * along.y[k] + z * along.z[k];
        const float beside = x * x + y * y + z * z - ahead * ahead;
        mark[k] |= -(int(ahead > -r) & int(beside <= r * r));
    }
}

}  // namespace va
