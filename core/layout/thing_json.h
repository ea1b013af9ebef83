// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <stdexcept>

#include "base/text.h"
#include "layout/thing.h"

namespace va {

inline constexpr const char* betweenWords[] = {"hold", "linear", "smooth"};
inline constexpr const char* outsideWords[] = {"hold", "go_on", "repeat"};

/// Position of a word in a list; throws std::invalid_argument naming the key where it is none of them.
template <class Words>
int indexOfWord(const Words& words, const std::string& word, const char* key) {
    for (size_t i = 0; i < std::size(words); ++i)
        if (word == words[i]) return int(i);
    throw std::invalid_argument(text("\"%s\" can't be \"%s\"", key, word.c_str()));
}

namespace thing_json {

template <class Json>
double finite(const Json& value, const char* key) {
    const double v = value.template get<double>();
    if (!std::isfinite(v)) throw std::invalid_argument(text("\"%s\" is no number", key));
    return v;
}

template <class Json>
void putValue(Json& to, double v) {
    to = v;
}
template <class Json, int N>
void putValue(Json& to, const Eigen::Vector<double, N>& v) {
    to = Json::array();
    for (int k = 0; k < N; ++k) to.push_back(v[k]);
}
template <class Json>
void takeValue(const Json& from, double& v, const char* key) {
    v = finite(from, key);
}
template <class Json, int N>
void takeValue(const Json& from, Eigen::Vector<double, N>& v, const char* key) {
    for (int k = 0; k < N; ++k) v[k] = finite(from.at(size_t(k)), key);
}

/// Angles are in degrees in files.
inline constexpr double degree = 3.14159265358979323846 / 180;

template <class Json>
Json keysJson(const ThingKeys& keys) {
    Json out = Json::object();
    ThingKeys::each(keys, [&](const char* key, const char*, const auto& animated) {
        if (animated.empty()) return;
        Json a{{"before", outsideWords[int(animated.before)]}, {"after", outsideWords[int(animated.after)]}};
        for (const auto& k : animated.keys) {
            Json one{{"frame", k.frame}};
            if (std::string_view(key) == "turn")
                putValue(one["value"], std::decay_t<decltype(k.value)>(k.value / degree));
            else putValue(one["value"], k.value);
            one["between"] = betweenWords[int(k.between)];
            a["keys"].push_back(std::move(one));
        }
        out[key] = std::move(a);
    });
    return out;
}

template <class Json>
ThingKeys keysFrom(const Json& from) {
    ThingKeys out;
    ThingKeys::each(out, [&](const char* key, const char*, auto& animated) {
        if (!from.contains(key)) return;
        const Json& a = from.at(key);
        animated.before = Outside(indexOfWord(outsideWords, a.at("before").template get<std::string>(), "before"));
        animated.after = Outside(indexOfWord(outsideWords, a.at("after").template get<std::string>(), "after"));
        for (const Json& k : a.at("keys")) {
            auto value = std::decay_t<decltype(animated.keys.front().value)>();
            takeValue(k.at("value"), value, key);
            if (std::string_view(key) == "turn") value = value * degree;
            const int frame = k.at("frame").template get<int>();
            animated.keys.set(frame, value);
            animated.keys.setBetween(
                frame, Between(indexOfWord(betweenWords, k.at("between").template get<std::string>(), "between")));
        }
    });
    return out;
}

}  // namespace thing_json

/// Adds a thing's kind, name, position, rotation (w, x, y, z) and fields to a JSON object, in the order in which they
/// are read by people. What it hangs on is the caller's to write: ids differ between files. Scale, colour, visibility
/// and keys are written where they say something.
template <class Json>
void putThing(Json& object, const Thing& thing) {
    const Thing plain;
    object["kind"] = kindWord(thing.kind);
    object["name"] = thing.name;
    object["position"] = {thing.position.x(), thing.position.y(), thing.position.z()};
    object["rotation"] = {thing.rotation.w(), thing.rotation.x(), thing.rotation.y(), thing.rotation.z()};
    if (thing.scale != 1) object["scale"] = thing.scale;
    if (thing.colour != plain.colour) thing_json::putValue(object["colour"], thing.colour);
    if (!thing.visible) object["visible"] = false;
    if (thing.locked) object["locked"] = true;
    const std::vector<FieldValue> fields = fieldsOf(thing.kind);
    const auto several = [&](const char* key) {
        return std::count_if(fields.begin(), fields.end(),
                             [&](const FieldValue& f) { return std::string_view(f.key) == key; }) > 1;
    };
    for (const FieldValue& f : fields) {
        if (several(f.key)) object[f.key].push_back(f.value);
        else object[f.key] = f.value;
    }
    for (const TextValue& f : textsOf(thing.kind)) object[f.key] = f.value;
    for (const ChoiceValue& f : choicesOf(thing.kind)) object[f.key] = f.words[size_t(f.value)];
    if (!thing.keys.empty()) object["keys"] = thing_json::keysJson<Json>(thing.keys);
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
    const auto number = [](const Json& list, size_t i, const char* key) { return thing_json::finite(list.at(i), key); };
    const Json &p = object.at("position"), &r = object.at("rotation");
    t.position = {number(p, 0, "position"), number(p, 1, "position"), number(p, 2, "position")};
    t.rotation = {number(r, 0, "rotation"), number(r, 1, "rotation"), number(r, 2, "rotation"),
                  number(r, 3, "rotation")};
    if (std::fabs(t.rotation.norm() - 1) > 1e-6) throw std::invalid_argument(text("\"rotation\" is no rotation"));
    if (object.contains("scale")) t.scale = thing_json::finite(object.at("scale"), "scale");
    if (!(t.scale > 0)) throw std::invalid_argument(text("\"scale\" is outside of what it may be"));
    if (object.contains("colour")) thing_json::takeValue(object.at("colour"), t.colour, "colour");
    t.visible = object.value("visible", true);
    t.locked = object.value("locked", false);
    const std::vector<FieldValue> fields = fieldsOf(t.kind);
    std::string_view key;
    for (size_t i = 0, component = 0; i < fields.size(); ++i) {
        component = fields[i].key == key ? component + 1 : 0;
        key = fields[i].key;
        const Json& at = object.at(fields[i].key);
        if (!setField(t.kind, i, at.is_array() ? number(at, component, fields[i].key) : at.template get<double>()))
            throw std::invalid_argument(text("\"%s\" is outside of what it may be", fields[i].key));
    }
    const std::vector<TextValue> texts = textsOf(t.kind);
    for (size_t i = 0; i < texts.size(); ++i) setText(t.kind, i, object.at(texts[i].key).template get<std::string>());
    const std::vector<ChoiceValue> choices = choicesOf(t.kind);
    for (size_t i = 0; i < choices.size(); ++i)
        setChoice(t.kind, i,
                  indexOfWord(choices[i].words, object.at(choices[i].key).template get<std::string>(), choices[i].key));
    if (object.contains("keys")) t.keys = thing_json::keysFrom(object.at("keys"));
    return t;
}

/// What a thing hangs on, for the project file. Throws as above.
template <class Json>
Json hangJson(const Hang& hang) {
    Json out{{"on", hangWords[int(hang.on)]}};
    if (hang.id != 0) out["id"] = hang.id;
    if (!hang.paths.empty()) out["paths"] = hang.paths;
    return out;
}
template <class Json>
Hang hangFrom(const Json& from) {
    return {Hang::On(indexOfWord(hangWords, from.at("on").template get<std::string>(), "on")), from.value("id", 0),
            from.value("paths", std::vector<int>())};
}

}  // namespace va
