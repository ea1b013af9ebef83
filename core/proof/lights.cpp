// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/lights.h"

#include <Eigen/Geometry>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "proof/surface.h"

namespace va {
namespace {

constexpr float pi = std::numbers::pi_v<float>;

std::optional<LightSample> from(const SunLight& sun, const Eigen::Vector3f&, const Eigen::Vector2f& u) {
    const float cap = capHeight(sun.diameter), z = 1 - u.x() * cap, phi = 2 * pi * u.y();
    const float s = std::sqrt(std::max(0.0F, u.x() * cap * (2 - u.x() * cap)));
    LightSample out;
    out.direction = Axes(sun.toSun).toWorld({s * std::cos(phi), s * std::sin(phi), z});
    out.light = pi * sun.strength;  // irradiance
    out.density = cap > 0 ? 1 / (2 * pi * cap) : 0;
    return out;
}
std::optional<SeenLight> seen(const SunLight& sun, const Eigen::Vector3f&, const Eigen::Vector3f& d, float distance) {
    const float cap = capHeight(sun.diameter);
    // The chord's square tells a narrow cone exactly.
    if (std::isfinite(distance) || !(cap > 0) || (d - sun.toSun).squaredNorm() / 2 > cap) return std::nullopt;
    const float density = 1 / (2 * pi * cap);
    return SeenLight{pi * density * sun.strength, density};
}

std::optional<LightSample> from(const SkyLight& sky, const Eigen::Vector3f&, const Eigen::Vector2f& u) {
    if (!sky.picture) return std::nullopt;
    LightSample out;
    const Eigen::Vector3f own = sky.picture->sample(u, out.density);
    if (!(out.density > 0)) return std::nullopt;
    out.direction = sky.pictureFromWorld.transpose() * own;
    out.light = sky.strength.cwiseProduct(sky.picture->at(own)) / out.density;
    return out;
}
std::optional<SeenLight> seen(const SkyLight& sky, const Eigen::Vector3f&, const Eigen::Vector3f& d, float distance) {
    if (std::isfinite(distance)) return std::nullopt;
    if (!sky.picture) return SeenLight{sky.strength, 0};
    const Eigen::Vector3f own = sky.pictureFromWorld * d;
    return SeenLight{sky.strength.cwiseProduct(sky.picture->at(own)), sky.picture->density(own)};
}

/// Radiance of a rectangle of that strength: pi units of irradiance at one unit.
Eigen::Vector3f radianceOf(const AreaLight& a) { return pi / a.right.cross(a.up).norm() * a.strength; }
std::optional<LightSample> from(const AreaLight& a, const Eigen::Vector3f& p, const Eigen::Vector2f& u) {
    const Eigen::Vector3f to = a.corner + u.x() * a.right + u.y() * a.up - p, n = a.right.cross(a.up);
    const float far = to.norm(), area = n.norm();
    if (!(far > 0) || !(area > 0)) return std::nullopt;
    LightSample out;
    out.direction = to / far;
    const float cosine = -out.direction.dot(n) / area;
    if (cosine <= 0) return std::nullopt;
    out.distance = far;
    out.density = far * far / (cosine * area);
    out.light = radianceOf(a) / out.density;
    return out;
}
std::optional<SeenLight> seen(const AreaLight& a, const Eigen::Vector3f& o, const Eigen::Vector3f& d, float distance) {
    const Eigen::Vector3f n = a.right.cross(a.up);
    const float area = n.norm(), along = d.dot(n);
    if (!(area > 0) || along >= 0) return std::nullopt;
    const float t = (a.corner - o).dot(n) / along;
    if (!(t > 0) || t >= distance) return std::nullopt;
    const Eigen::Vector3f at = o + t * d - a.corner;
    const float x = at.dot(a.right) / a.right.squaredNorm(), y = at.dot(a.up) / a.up.squaredNorm();
    if (x < 0 || x > 1 || y < 0 || y > 1) return std::nullopt;
    return SeenLight{radianceOf(a), t * t / -along};
}

std::optional<LightSample> from(const SpotLight& spot, const Eigen::Vector3f& p, const Eigen::Vector2f& u) {
    Eigen::Vector3f at = spot.position;
    if (spot.radius > 0) {
        const Eigen::Vector3f way = p - at;
        if (!(way.norm() > 0)) return std::nullopt;
        const Axes axes(way.normalized());
        const float r = spot.radius * std::sqrt(u.x()), phi = 2 * pi * u.y();
        at += r * std::cos(phi) * axes.x + r * std::sin(phi) * axes.y;
    }
    const Eigen::Vector3f to = at - p;
    const float far = to.norm();
    if (!(far > 0)) return std::nullopt;
    LightSample out;
    out.direction = to / far;
    out.distance = far;
    const float cosine = -out.direction.dot(spot.axis);
    float share = 1;
    if (spot.cosOuter > -1 || spot.cosInner > -1) {
        const float t =
            std::clamp((cosine - spot.cosOuter) / std::max(1e-6F, spot.cosInner - spot.cosOuter), 0.0F, 1.0F);
        share = t * t * (3 - 2 * t);
    }
    if (share <= 0) return std::nullopt;
    out.light = share * pi / (far * far) * spot.strength;
    return out;
}
std::optional<SeenLight> seen(const SpotLight&, const Eigen::Vector3f&, const Eigen::Vector3f&, float) {
    return std::nullopt;
}

}  // namespace

float capHeight(float diameter) {
    const float s = std::sin(diameter / 4);
    return 2 * s * s;
}

std::optional<LightSample> sampleLight(const ProofLight& light, const Eigen::Vector3f& point,
                                       const Eigen::Vector2f& u) {
    return std::visit([&](const auto& l) { return from(l, point, u); }, light);
}
void sampleLight(const ProofLight& light, const Lanes3& points, const Lanes& u, const Lanes& v, LaneMask& on,
                 Lanes3& along, Lanes& farthest, LightLanes& out) {
    if (const auto* sun = std::get_if<SunLight>(&light)) {
        const Axes axes(sun->toSun);
        Eigen::Matrix3f columns;
        columns << axes.x, axes.y, axes.z;
        const float cap = capHeight(sun->diameter);
        coneWays(columns, cap, u, v, along);
        farthest.fill(std::numeric_limits<float>::infinity());
        for (int k = 0; k < laneCount; ++k) out.light.set(k, pi * sun->strength);
        out.density.fill(cap > 0 ? 1 / (2 * pi * cap) : 0);
        return;
    }
    for (size_t k = 0; k < laneCount; ++k) {
        if (!on[k]) continue;
        const auto sample = sampleLight(light, points.at(int(k)), {u[k], v[k]});
        on[k] = sample ? -1 : 0;
        if (!sample) continue;
        along.set(int(k), sample->direction);
        farthest[k] = sample->distance;
        out.light.set(int(k), sample->light);
        out.density[k] = sample->density;
    }
}
std::optional<SeenLight> seeLight(const ProofLight& light, const Eigen::Vector3f& origin,
                                  const Eigen::Vector3f& direction, float distance) {
    return std::visit([&](const auto& l) { return seen(l, origin, direction, distance); }, light);
}

}  // namespace va
