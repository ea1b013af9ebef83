// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/layout_json.h"

#include <nlohmann/json.hpp>

#include "base/file_paths.h"
#include "layout/thing_json.h"
#include "shot/json_parts.h"

namespace va {

using nlohmann::json;

namespace {

constexpr double degree = thing_json::degree;

/// Calls `with` for every file that a thing names.
template <class With>
void eachFile(Thing& thing, With with) {
    const std::vector<TextValue> texts = textsOf(thing.kind);
    for (size_t i = 0; i < texts.size(); ++i)
        if ((texts[i].use == TextUse::pictureFile || texts[i].use == TextUse::meshFile) && !texts[i].value.empty())
            setText(thing.kind, i, with(texts[i].value));
}

}  // namespace

json layoutThingJson(const Thing& thing, const std::filesystem::path& folder) {
    Thing t = thing;
    eachFile(t, [&](const std::string& file) { return relativeTo(file, folder); });
    json out{{"id", t.id}};
    putThing(out, t);
    if (!(t.hang == Hang())) out["hang"] = hangJson<json>(t.hang);
    return out;
}

Thing layoutThingFrom(const json& j, const std::filesystem::path& folder) {
    Thing t = thingFrom(j);
    t.id = j.at("id");
    if (j.contains("hang")) t.hang = hangFrom(j.at("hang"));
    eachFile(t, [&](const std::string& file) {
        const std::filesystem::path path(file);
        return path.is_absolute() ? file : (folder / path).lexically_normal().string();
    });
    return t;
}

json layersJson(const CameraLayers& l) {
    ThingKeys look;
    look.turn = l.look.turn;
    return {{"look_around", {{"on", l.look.on}, {"keys", thing_json::keysJson<json>(look)}}},
            {"offset_and_pace",
             {{"on", l.pace.on},
              {"path_scale", l.pace.pathScale},
              {"pace", l.pace.pace},
              {"begin", l.pace.begin},
              {"offset", {l.pace.offset.x(), l.pace.offset.y(), l.pace.offset.z()}},
              {"heading", l.pace.heading / degree}}},
            {"shake",
             {{"on", l.shake.on},
              {"seed", l.shake.seed},
              {"px", l.shake.px},
              {"px_per_second", l.shake.pxRate},
              {"degrees", l.shake.degrees},
              {"degrees_per_second", l.shake.degreesRate}}},
            {"steady",
             {{"on", l.steady.on},
              {"width", l.steady.width},
              {"position", l.steady.position},
              {"rotation", l.steady.turn}}}};
}

CameraLayers layersFrom(const json& j) {
    CameraLayers l;
    const auto number = [](const json& of, const char* key) { return thing_json::finite(of.at(key), key); };
    const json &look = j.at("look_around"), &pace = j.at("offset_and_pace"), &shake = j.at("shake"),
               &steady = j.at("steady");
    l.look.on = look.at("on");
    l.look.turn = thing_json::keysFrom(look.at("keys")).turn;
    l.pace.on = pace.at("on");
    l.pace.pathScale = number(pace, "path_scale");
    l.pace.pace = number(pace, "pace");
    l.pace.begin = number(pace, "begin");
    l.pace.heading = number(pace, "heading") * degree;
    thing_json::takeValue(pace.at("offset"), l.pace.offset, "offset");
    l.shake = {shake.at("on"),           shake.at("seed"),
               number(shake, "px"),      number(shake, "px_per_second"),
               number(shake, "degrees"), number(shake, "degrees_per_second")};
    l.steady = {steady.at("on"), number(steady, "width"), steady.at("position"), steady.at("rotation")};
    return l;
}

}  // namespace va
