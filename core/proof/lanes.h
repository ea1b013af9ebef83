// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <array>
#include <cstdint>

namespace va {

/// Rays that are followed together: as many as a register of AVX2 holds.
constexpr int laneCount = 8;
/// One number a ray.
using Lanes = std::array<float, laneCount>;
/// Whether, for each ray: 0 or −1, all bits.
using LaneMask = std::array<int, laneCount>;
/// Such as a pixel, or the number of a sample, a ray.
using LaneIndices = std::array<uint32_t, laneCount>;
/// A place or a direction a ray.
struct Lanes3 {
    alignas(32) Lanes x{}, y{}, z{};
    void set(int k, const Eigen::Vector3f& v) {
        const auto i = size_t(k);
        x[i] = v.x(), y[i] = v.y(), z[i] = v.z();
    }
    [[nodiscard]] Eigen::Vector3f at(int k) const {
        const auto i = size_t(k);
        return {x[i], y[i], z[i]};
    }
};

struct LaneSphere {
    Eigen::Vector3f middle;
    float radius;
};

/// Directions within a cone, evenly over its solid angle: `cap` is 1 − cos of half its angle, `axes` has its axis as
/// the third column. `u` and `v` lie in [0, 1).
void coneWays(const Eigen::Matrix3f& axes, float cap, const Lanes& u, const Lanes& v, Lanes3& ways);
/// Directions about normals, as often as their cosine.
void cosineWays(const Lanes3& normals, const Lanes& u, const Lanes& v, Lanes3& ways);
Lanes dot(const Lanes3& a, const Lanes3& b);
/// Adds the share of the sky's light on a surface that a sphere takes away: its configuration factor, of which one at
/// the horizon has half.
void addHidden(const LaneSphere& sphere, const Lanes3& places, const Lanes3& normals, Lanes& hidden);
/// Marks rays from places that may meet a sphere within a cone about a unit direction; `widening` is the cone's half
/// width per unit of distance.
void markNear(const LaneSphere& sphere, const Lanes3& places, const Eigen::Vector3f& along, float widening,
              LaneMask& mark);
/// The same of rays that have each a unit direction of its own and no width.
void markNear(const LaneSphere& sphere, const Lanes3& places, const Lanes3& along, LaneMask& mark);

}  // namespace va
