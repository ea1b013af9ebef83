// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Geometry>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/animated.h"
#include "layout/hang.h"
#include "layout/kinds.h"
#include "solve/similarity.h"

namespace va {

/// What of a thing goes by keys. A value without keys stands.
struct ThingKeys {
    Animated<Eigen::Vector3d> position;
    Animated<Eigen::Vector3d> turn;  ///< tilt, heading, roll in radians; may go round more than once
    Animated<double> scale;
    Animated<double> visible;  ///< from 0.5 on it is
    Animated<Eigen::Vector4d> colour;
    friend bool operator==(const ThingKeys&, const ThingKeys&) = default;

    [[nodiscard]] bool empty() const {
        return position.empty() && turn.empty() && scale.empty() && visible.empty() && colour.empty();
    }
    /// Calls `with(key, label, animated)` for each of them.
    template <class Keys, class With>
    static void each(Keys& keys, With with) {
        with("position", "Position", keys.position);
        with("turn", "Rotation", keys.turn);
        with("scale", "Scale", keys.scale);
        with("visible", "Visible", keys.visible);
        with("colour", "Colour", keys.colour);
    }
};

/// Something laid out in the world. Position, rotation and scale are in the axes of what it hangs on.
struct Thing {
    int id = 0;
    std::string name;
    Eigen::Vector3d position = Eigen::Vector3d::Zero();            ///< of its foot
    Eigen::Quaterniond rotation = Eigen::Quaterniond::Identity();  ///< from the thing's own axes
    double scale = 1;                                              ///< above zero
    Eigen::Vector4d colour{0.341, 0.722, 0.710, 1};                ///< red, green, blue, opacity, 0..1, as displayed
    bool visible = true, locked = false;
    Hang hang;
    ThingKeys keys;
    ThingKind kind = Box();

    /// The thing it hangs on; 0 = none.
    [[nodiscard]] int parent() const { return hang.on == Hang::On::thing ? hang.id : 0; }
    /// Position, rotation and scale in a frame, as keys say where there are any.
    [[nodiscard]] Similarity at(double frame) const;
    [[nodiscard]] bool visibleAt(double frame) const;
    [[nodiscard]] Eigen::Vector4d colourAt(double frame) const;
};

bool operator==(const Thing& a, const Thing& b);

/// Whether two things are the same in kind, name, fields, colour and keys, and stand in the same position, within
/// `tolerance`: of a length relative to its size (at least 1), of a rotation in radians. Ids may differ.
bool sameWithin(const Thing& a, const Thing& b, double tolerance);

/// What files call its kind ("box"), what the screen calls it ("Box"), several of it ("boxes"), and its icon.
const char* kindWord(const ThingKind& kind);
const char* kindLabel(const ThingKind& kind);
const char* kindPlural(const ThingKind& kind);
const char* kindIcon(const ThingKind& kind);
/// One of each kind with its defaults, in the order of the table.
const std::vector<ThingKind>& allKinds();
/// The kind of that word with its defaults; nothing where there is none.
std::optional<ThingKind> kindNamed(std::string_view word);

/// The kind's own numbers, texts and choices, in the order of its tables.
std::vector<FieldValue> fieldsOf(const ThingKind& kind);
std::vector<TextValue> textsOf(const ThingKind& kind);
std::vector<ChoiceValue> choicesOf(const ThingKind& kind);
/// Sets one of them. False, and nothing changed, where the value is outside of what the field allows, or no number.
bool setField(ThingKind& kind, size_t field, double value);
bool setText(ThingKind& kind, size_t field, const std::string& value);
bool setChoice(ThingKind& kind, size_t field, int value);
bool sameKind(const ThingKind& a, const ThingKind& b);

/// As it is in its first frame, or in a frame of a plate of some rate.
Shape shapeOf(const ThingKind& kind);
Shape shapeOf(const ThingKind& kind, double frame, double rate);
/// Whether its shape differs between frames.
bool changesShape(const ThingKind& kind);
/// Whether it has a surface: what has none is a mark and no prop.
bool hasSurface(const ThingKind& kind);
/// What is wrong with it, as a sentence: a file that is not there, a text without letters. Empty when nothing is.
std::string troubleOf(const ThingKind& kind);

/// The direction of the thing's Z axis over the ground, radians from the world's Z towards X; 0 where that points
/// straight up or down.
double headingOf(const Eigen::Quaterniond& rotation);
/// The rotation turned about the world's Y axis to that heading; a tilt stays.
Eigen::Quaterniond withHeading(const Eigen::Quaterniond& rotation, double heading);

/// A rotation as tilt (about X), heading (about Y) and roll (about Z) in radians: Ry(heading) Rx(tilt) Rz(roll). Tilt
/// lies within ± 90°; at its ends roll is 0.
Eigen::Vector3d turnOf(const Eigen::Quaterniond& rotation);
Eigen::Quaterniond rotationOf(const Eigen::Vector3d& turn);
/// The same rotation's angles that lie nearest to others: whole turns added, and the other way to write it tried.
Eigen::Vector3d turnNear(const Eigen::Vector3d& turn, const Eigen::Vector3d& to);

}  // namespace va
