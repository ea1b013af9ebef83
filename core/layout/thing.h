// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Geometry>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "layout/kinds.h"

namespace va {

/// Something laid out in the world.
struct Thing {
    int id = 0;
    std::string name;
    Eigen::Vector3d position = Eigen::Vector3d::Zero();            ///< of its foot, world units
    Eigen::Quaterniond rotation = Eigen::Quaterniond::Identity();  ///< world from the thing's own axes
    ThingKind kind = Box();

    [[nodiscard]] Eigen::Vector3d toWorld(const Eigen::Vector3d& own) const { return position + rotation * own; }
};

bool operator==(const Thing& a, const Thing& b);

/// Whether two things are the same in kind, name and fields, and stand in the same position, within `tolerance`: of a
/// length relative to its size (at least 1), of a rotation in radians. Ids may differ.
bool sameWithin(const Thing& a, const Thing& b, double tolerance);

/// What files call its kind ("box"), what the screen calls it ("Test box"), and several of it ("test boxes").
const char* kindWord(const ThingKind& kind);
const char* kindLabel(const ThingKind& kind);
const char* kindPlural(const ThingKind& kind);
/// One of each kind with its defaults, in the order of the table.
const std::vector<ThingKind>& allKinds();
/// The kind of that word with its defaults; nothing where there is none.
std::optional<ThingKind> kindNamed(std::string_view word);

/// The kind's own numbers, in the order of its table.
std::vector<FieldValue> fieldsOf(const ThingKind& kind);
/// Sets one of them. False, and nothing changed, where the value is outside of what the field allows, or no number.
bool setField(ThingKind& kind, size_t field, double value);

Shape shapeOf(const ThingKind& kind);
/// Whether it has a surface: what has none is a mark and no prop.
bool hasSurface(const ThingKind& kind);

/// The direction of the thing's Z axis over the ground, radians from the world's Z towards X; 0 where that points
/// straight up or down.
double headingOf(const Eigen::Quaterniond& rotation);
/// The rotation turned about the world's Y axis to that heading; a tilt stays.
Eigen::Quaterniond withHeading(const Eigen::Quaterniond& rotation, double heading);

}  // namespace va
