// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Geometry>

namespace va {

/// How a thing stands on a surface.
enum class Stance { stand, lie, face };

/// The rotation, world from thing, of a thing on a surface with the unit normal `normal`, in a world with the unit
/// upright `up` and a camera that looks from the direction `toCamera` (any length).
///
/// Stand: on a floor (up to 45° from level) Y along the normal; on a wall, which is steeper, Y upright. Lie: its front,
/// Z, along the normal: flat on a floor with its top away from the camera, flat on a wall with its top up. Face: Y
/// upright. Z looks to the camera over the ground, or away from the wall that it stands at. A camera straight above
/// leaves the heading at the world's Z.
Eigen::Quaterniond rotationFor(Stance stance, const Eigen::Vector3d& normal, const Eigen::Vector3d& up,
                               const Eigen::Vector3d& toCamera);

/// The rotation that turns a thing so that its X axis lies along `from` → `to`, about its own Y axis first and then up
/// or down. The same rotation where the two are one point.
Eigen::Quaterniond alignedAlong(const Eigen::Quaterniond& rotation, const Eigen::Vector3d& from,
                                const Eigen::Vector3d& to);

}  // namespace va
