// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <stdexcept>

#include "base/text.h"
#include "layout/thing.h"

namespace va {

/// Adds a thing's kind, name, position, rotation (w, x, y, z) and fields to a JSON object, in the order in which they
/// are read by people.
template <class Json>
void putThing(Json& object, const Thing& thing) {
    object["kind"] = kindWord(thing.kind);
    object["name"] = thing.name;
    object["position"] = {thing.position.x(), thing.position.y(), thing.position.z()};
    object["rotation"] = {thing.rotation.w(), thing.rotation.x(), thing.rotation.y(), thing.rotation.z()};
    const std::vector<FieldValue> fields = fieldsOf(thing.kind);
    const auto several = [&](const char* key) {
        return std::count_if(fields.begin(), fields.end(),
                             [&](const FieldValue& f) { return std::string_view(f.key) == key; }) > 1;
    };
    for (const FieldValue& f : fields) {
        if (several(f.key)) object[f.key].push_back(f.value);
        else object[f.key] = f.value;
    }
}

/// Reads what putThing() wrote. `kind` is taken where the object names none. Throws std::exception (of the JSON
/// library, or std::invalid_argument naming the key) where something is missing, of a wrong type, or outside of what it
/// may be.
template <class Json>
Thing thingFrom(const Json& object, std::string_view kind = {}) {
    Thing t;
    const std::string word = object.value("kind", std::string(kind));
    const auto known = kindNamed(word);
    if (!known) throw std::invalid_argument(text("there is no thing of the kind \"%s\"", word.c_str()));
    t.kind = *known;
    t.name = object.at("name").template get<std::string>();
    const auto number = [](const Json& list, size_t i, const char* key) {
        const double v = list.at(i).template get<double>();
        if (!std::isfinite(v)) throw std::invalid_argument(text("\"%s\" is no number", key));
        return v;
    };
    const Json &p = object.at("position"), &r = object.at("rotation");
    t.position = {number(p, 0, "position"), number(p, 1, "position"), number(p, 2, "position")};
    t.rotation = {number(r, 0, "rotation"), number(r, 1, "rotation"), number(r, 2, "rotation"),
                  number(r, 3, "rotation")};
    if (std::fabs(t.rotation.norm() - 1) > 1e-6) throw std::invalid_argument(text("\"rotation\" is no rotation"));
    const std::vector<FieldValue> fields = fieldsOf(t.kind);
    std::string_view key;
    for (size_t i = 0, component = 0; i < fields.size(); ++i) {
        component = fields[i].key == key ? component + 1 : 0;
        key = fields[i].key;
        const Json& at = object.at(fields[i].key);
        if (!setField(t.kind, i, at.is_array() ? number(at, component, fields[i].key) : at.template get<double>()))
            throw std::invalid_argument(text("\"%s\" is outside of what it may be", fields[i].key));
    }
    return t;
}

}  // namespace va
