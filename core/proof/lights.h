// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <limits>
#include <memory>
#include <optional>
#include <variant>
#include <vector>

#include "proof/lanes.h"
#include "proof/sky_picture.h"

namespace va {

/// Parallel light from a disc in the sky. Strength 1 makes a white matte surface that is square to it as bright as
/// white.
struct SunLight {
    Eigen::Vector3f toSun{0, 1, 0};     ///< unit, world
    float diameter = 0.0093F;           ///< radians; the sun's is 0.53°
    Eigen::Vector3f strength{1, 1, 1};  ///< linear light
};
/// Light from all around. Strength 1 makes an open white surface as bright as white.
struct SkyLight {
    Eigen::Vector3f strength{1, 1, 1};
    std::shared_ptr<const SkyPicture> picture;                       ///< multiplied by the strength; null = even
    Eigen::Matrix3f pictureFromWorld = Eigen::Matrix3f::Identity();  ///< rotation
};
/// A rectangle that shines to one side. Strength 1 makes a white surface one unit before it, facing it, as bright as
/// white, whatever the rectangle's size (as long as that is small against the unit).
struct AreaLight {
    Eigen::Vector3f corner, right, up;  ///< one corner and both edges; it shines along right × up
    Eigen::Vector3f strength{1, 1, 1};
};
/// A small source with a cone; its strength is told as that of an AreaLight.
struct SpotLight {
    Eigen::Vector3f position, axis;    ///< unit, the way it shines
    float cosInner = 1, cosOuter = 0;  ///< full light within, none outside; −1, −1 = all around
    float radius = 0;                  ///< of the source: above 0 shadows are soft
    Eigen::Vector3f strength{1, 1, 1};
};
using ProofLight = std::variant<SunLight, SkyLight, AreaLight, SpotLight>;

/// Light that reaches a point from one direction.
struct LightSample {
    Eigen::Vector3f direction;  ///< unit, towards the light
    float distance = std::numeric_limits<float>::infinity();
    Eigen::Vector3f light;  ///< radiance over the density: what comes in, per sample, before cosine and surface
    float density = 0;      ///< per steradian; 0 = a direction that no other sampling can meet
};

/// Nothing where the light does not shine to the point, nor for an even sky: it is found as well wherever a path goes.
std::optional<LightSample> sampleLight(const ProofLight& light, const Eigen::Vector3f& point, const Eigen::Vector2f& u);
/// The same a ray.
struct LightLanes {
    Lanes3 light;
    Lanes density{};
};
/// The same for points that are `on`; those that it does not shine to go out.
void sampleLight(const ProofLight& light, const Lanes3& points, const Lanes& u, const Lanes& v, LaneMask& on,
                 Lanes3& along, Lanes& farthest, LightLanes& out);
/// What a ray that meets nothing up to `distance` sees of a light, and the density with which sampleLight() gives its
/// direction. Nothing where it misses the light.
struct SeenLight {
    Eigen::Vector3f radiance;
    float density;
};
std::optional<SeenLight> seeLight(const ProofLight& light, const Eigen::Vector3f& origin,
                                  const Eigen::Vector3f& direction, float distance);
/// 1 − cos of half a cone's angle, exact for narrow ones.
float capHeight(float diameter);
/// Whether it stands for the light of the surroundings.
inline bool ambient(const ProofLight& light) { return std::holds_alternative<SkyLight>(light); }

}  // namespace va
