// SPDX-License-Identifier: GPL-3.0-or-later
#include "layout/thing.h"

#include <algorithm>
#include <cmath>

namespace va {
namespace {

template <class Kind>
FieldValue valueOf(const Field<Kind>& f, const Kind& kind) {
    return {f.key, f.label, f.unit, f.low, f.high, kind.*f.member};
}

template <size_t... I>
std::vector<ThingKind> oneOfEach(std::index_sequence<I...>) {
    return {ThingKind(std::in_place_index<I>)...};
}

}  // namespace

const char* kindWord(const ThingKind& kind) {
    return std::visit([](const auto& k) { return k.word; }, kind);
}
const char* kindLabel(const ThingKind& kind) {
    return std::visit([](const auto& k) { return k.label; }, kind);
}
const char* kindPlural(const ThingKind& kind) {
    return std::visit([](const auto& k) { return k.plural; }, kind);
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
            for (const auto& f : k.fields) out.push_back(valueOf(f, k));
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

Shape shapeOf(const ThingKind& kind) {
    return std::visit([](const auto& k) { return k.shape(); }, kind);
}

bool hasSurface(const ThingKind& kind) { return !shapeOf(kind).faces.empty(); }

bool operator==(const Thing& a, const Thing& b) {
    const auto same = [](const FieldValue& x, const FieldValue& y) { return x.value == y.value; };
    const std::vector<FieldValue> x = fieldsOf(a.kind), y = fieldsOf(b.kind);
    return a.id == b.id && a.name == b.name && a.position == b.position && a.rotation.coeffs() == b.rotation.coeffs() &&
           a.kind.index() == b.kind.index() && std::equal(x.begin(), x.end(), y.begin(), y.end(), same);
}

bool sameWithin(const Thing& a, const Thing& b, double tolerance) {
    if (a.kind.index() != b.kind.index() || a.name != b.name) return false;
    if (!((a.position - b.position).norm() <= tolerance * std::max(1.0, a.position.norm()))) return false;
    if (!(a.rotation.angularDistance(b.rotation) <= tolerance)) return false;
    const std::vector<FieldValue> x = fieldsOf(a.kind), y = fieldsOf(b.kind);
    return std::equal(x.begin(), x.end(), y.begin(), y.end(), [&](const FieldValue& p, const FieldValue& q) {
        return std::fabs(p.value - q.value) <= tolerance * std::max(1.0, std::fabs(p.value));
    });
}

double headingOf(const Eigen::Quaterniond& rotation) {
    const Eigen::Vector3d z = rotation * Eigen::Vector3d::UnitZ();
    return std::hypot(z.x(), z.z()) < 1e-9 ? 0 : std::atan2(z.x(), z.z());
}

Eigen::Quaterniond withHeading(const Eigen::Quaterniond& rotation, double heading) {
    const Eigen::AngleAxisd turn(heading - headingOf(rotation), Eigen::Vector3d::UnitY());
    return (turn * rotation).normalized();
}

}  // namespace va
