// SPDX-License-Identifier: GPL-3.0-or-later
#include "layout/thing.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "layout/assets.h"

namespace va {
namespace {

template <size_t... I>
std::vector<ThingKind> oneOfEach(std::index_sequence<I...>) {
    return {ThingKind(std::in_place_index<I>)...};
}

/// The tables that a kind has; most have numbers only.
template <class Kind>
auto textsTable() {
    if constexpr (requires { Kind::texts; }) return std::span(Kind::texts);
    else return std::span<const TextField<Kind>>();
}
template <class Kind>
auto choicesTable() {
    if constexpr (requires { Kind::choices; }) return std::span(Kind::choices);
    else return std::span<const ChoiceField<Kind>>();
}

bool near(double a, double b, double tolerance) { return std::fabs(a - b) <= tolerance * std::max(1.0, std::fabs(a)); }

/// All keys' frames and ways are the same, and their values within the tolerance.
template <class T>
bool sameKeys(const Animated<T>& a, const Animated<T>& b, double tolerance) {
    if (a.before != b.before || a.after != b.after || a.keys.size() != b.keys.size()) return false;
    const auto same = [tolerance](const Key<T>& x, const Key<T>& y) {
        if (x.frame != y.frame || x.between != y.between) return false;
        if constexpr (std::is_same_v<T, double>) return near(x.value, y.value, tolerance);
        else return (x.value - y.value).norm() <= tolerance * std::max(1.0, x.value.norm());
    };
    return std::equal(a.keys.begin(), a.keys.end(), b.keys.begin(), same);
}

}  // namespace

Similarity Thing::at(double frame) const {
    return {keys.scale.empty() ? scale : std::max(1e-9, keys.scale.at(frame)),
            keys.turn.empty() ? rotation : rotationOf(keys.turn.at(frame)),
            keys.position.empty() ? position : keys.position.at(frame)};
}

bool Thing::visibleAt(double frame) const { return visible && (keys.visible.empty() || keys.visible.at(frame) >= 0.5); }

Eigen::Vector4d Thing::colourAt(double frame) const {
    return keys.colour.empty() ? colour : Eigen::Vector4d(keys.colour.at(frame).cwiseMax(0.0).cwiseMin(1.0));
}

const char* kindWord(const ThingKind& kind) {
    return std::visit([](const auto& k) { return k.word; }, kind);
}
const char* kindLabel(const ThingKind& kind) {
    return std::visit([](const auto& k) { return k.label; }, kind);
}
const char* kindPlural(const ThingKind& kind) {
    return std::visit([](const auto& k) { return k.plural; }, kind);
}
const char* kindIcon(const ThingKind& kind) {
    return std::visit([](const auto& k) { return k.icon; }, kind);
}

const std::vector<ThingKind>& allKinds() {
    static const std::vector<ThingKind> all = oneOfEach(std::make_index_sequence<std::variant_size_v<ThingKind>>());
    return all;
}

std::optional<ThingKind> kindNamed(std::string_view word) {
    for (const ThingKind& k : allKinds())
        if (word == kindWord(k)) return k;
    return std::nullopt;
}

std::vector<FieldValue> fieldsOf(const ThingKind& kind) {
    return std::visit(
        [](const auto& k) {
            std::vector<FieldValue> out;
            for (const auto& f : k.fields) out.push_back({f.key, f.label, f.unit, f.low, f.high, k.*f.member});
            return out;
        },
        kind);
}

std::vector<TextValue> textsOf(const ThingKind& kind) {
    return std::visit(
        [](const auto& k) {
            std::vector<TextValue> out;
            for (const auto& f : textsTable<std::decay_t<decltype(k)>>())
                out.push_back({f.key, f.label, f.use, k.*f.member});
            return out;
        },
        kind);
}

std::vector<ChoiceValue> choicesOf(const ThingKind& kind) {
    return std::visit(
        [](const auto& k) {
            std::vector<ChoiceValue> out;
            for (const auto& f : choicesTable<std::decay_t<decltype(k)>>())
                out.push_back({f.key, f.label, f.words, f.labels, k.*f.member});
            return out;
        },
        kind);
}

bool setField(ThingKind& kind, size_t field, double value) {
    return std::visit(
        [&](auto& k) {
            if (field >= k.fields.size()) return false;
            const auto& f = k.fields[field];
            if (!(value >= f.low && value <= f.high)) return false;
            k.*f.member = value;
            return true;
        },
        kind);
}

bool setText(ThingKind& kind, size_t field, const std::string& value) {
    return std::visit(
        [&](auto& k) {
            const auto table = textsTable<std::decay_t<decltype(k)>>();
            if (field >= table.size()) return false;
            k.*table[field].member = value;
            return true;
        },
        kind);
}

bool setChoice(ThingKind& kind, size_t field, int value) {
    return std::visit(
        [&](auto& k) {
            const auto table = choicesTable<std::decay_t<decltype(k)>>();
            if (field >= table.size() || value < 0 || size_t(value) >= table[field].words.size()) return false;
            k.*table[field].member = value;
            return true;
        },
        kind);
}

bool sameKind(const ThingKind& a, const ThingKind& b) {
    if (a.index() != b.index()) return false;
    const auto same = [](const FieldValue& x, const FieldValue& y) { return x.value == y.value; };
    const std::vector<FieldValue> x = fieldsOf(a), y = fieldsOf(b);
    return std::equal(x.begin(), x.end(), y.begin(), y.end(), same) && textsOf(a) == textsOf(b) &&
           choicesOf(a) == choicesOf(b);
}

Shape shapeOf(const ThingKind& kind) {
    return std::visit([](const auto& k) { return k.shape(); }, kind);
}

Shape shapeOf(const ThingKind& kind, double frame, double rate) {
    const auto* mesh = std::get_if<Mesh>(&kind);
    return mesh ? mesh->shapeAt(frame, rate) : shapeOf(kind);
}

bool changesShape(const ThingKind& kind) {
    const auto* mesh = std::get_if<Mesh>(&kind);
    const auto file = mesh ? assets().mesh(mesh->file) : nullptr;
    return file && file->moves();
}

bool hasSurface(const ThingKind& kind) {
    return !std::holds_alternative<Anchor>(kind) && !std::holds_alternative<Group>(kind) &&
           !std::holds_alternative<Light>(kind);
}

std::string troubleOf(const ThingKind& kind) {
    if (const auto* mesh = std::get_if<Mesh>(&kind)) {
        if (mesh->file.empty()) return text("This mesh has no file. Choose one.");
        const auto file = assets().mesh(mesh->file);
        return file ? file->note : assets().trouble(mesh->file);
    }
    if (const auto* card = std::get_if<Card>(&kind); card && !card->file.empty())
        return assets().picture(card->file, 0) ? std::string() : assets().trouble(card->file);
    if (const auto* label = std::get_if<Label>(&kind)) return textTrouble(label->words, label->font);
    return {};
}

bool operator==(const Thing& a, const Thing& b) {
    return a.id == b.id && a.name == b.name && a.position == b.position && a.rotation.coeffs() == b.rotation.coeffs() &&
           a.scale == b.scale && a.colour == b.colour && a.visible == b.visible && a.locked == b.locked &&
           a.hang == b.hang && a.keys == b.keys && sameKind(a.kind, b.kind);
}

bool sameWithin(const Thing& a, const Thing& b, double tolerance) {
    if (a.kind.index() != b.kind.index() || a.name != b.name || a.visible != b.visible) return false;
    if (!((a.position - b.position).norm() <= tolerance * std::max(1.0, a.position.norm()))) return false;
    if (!(a.rotation.angularDistance(b.rotation) <= tolerance) || !near(a.scale, b.scale, tolerance)) return false;
    if (!((a.colour - b.colour).norm() <= tolerance)) return false;
    if (!sameKeys(a.keys.position, b.keys.position, tolerance) || !sameKeys(a.keys.turn, b.keys.turn, tolerance) ||
        !sameKeys(a.keys.scale, b.keys.scale, tolerance) || !sameKeys(a.keys.visible, b.keys.visible, tolerance) ||
        !sameKeys(a.keys.colour, b.keys.colour, tolerance))
        return false;
    const std::vector<FieldValue> x = fieldsOf(a.kind), y = fieldsOf(b.kind);
    return textsOf(a.kind) == textsOf(b.kind) && choicesOf(a.kind) == choicesOf(b.kind) &&
           std::equal(x.begin(), x.end(), y.begin(), y.end(),
                      [&](const FieldValue& p, const FieldValue& q) { return near(p.value, q.value, tolerance); });
}

double headingOf(const Eigen::Quaterniond& rotation) {
    const Eigen::Vector3d z = rotation * Eigen::Vector3d::UnitZ();
    return std::hypot(z.x(), z.z()) < 1e-9 ? 0 : std::atan2(z.x(), z.z());
}

Eigen::Quaterniond withHeading(const Eigen::Quaterniond& rotation, double heading) {
    const Eigen::AngleAxisd turn(heading - headingOf(rotation), Eigen::Vector3d::UnitY());
    return (turn * rotation).normalized();
}

Eigen::Vector3d turnOf(const Eigen::Quaterniond& rotation) {
    const Eigen::Matrix3d r = rotation.toRotationMatrix();
    const double tilt = std::asin(std::clamp(-r(1, 2), -1.0, 1.0));
    // Straight up or down heading and roll are one angle.
    if (std::hypot(r(0, 2), r(2, 2)) < 1e-9) return {tilt, std::atan2(-r(2, 0), r(0, 0)), 0};
    return {tilt, std::atan2(r(0, 2), r(2, 2)), std::atan2(r(1, 0), r(1, 1))};
}

Eigen::Quaterniond rotationOf(const Eigen::Vector3d& turn) {
    return (Eigen::AngleAxisd(turn.y(), Eigen::Vector3d::UnitY()) *
            Eigen::AngleAxisd(turn.x(), Eigen::Vector3d::UnitX()) *
            Eigen::AngleAxisd(turn.z(), Eigen::Vector3d::UnitZ()))
        .normalized();
}

Eigen::Vector3d turnNear(const Eigen::Vector3d& turn, const Eigen::Vector3d& to) {
    const auto wound = [&](const Eigen::Vector3d& t) {
        Eigen::Vector3d out;
        for (int k = 0; k < 3; ++k)
            out[k] = t[k] + 2 * std::numbers::pi * std::round((to[k] - t[k]) / (2 * std::numbers::pi));
        return out;
    };
    const double pi = std::numbers::pi;
    const Eigen::Vector3d a = wound(turn), b = wound({pi - turn.x(), turn.y() + pi, turn.z() + pi});
    return (a - to).norm() <= (b - to).norm() ? a : b;
}

}  // namespace va
