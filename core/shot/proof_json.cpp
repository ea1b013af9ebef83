// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/proof_json.h"

#include <nlohmann/json.hpp>

#include "base/file_paths.h"
#include "shot/feature_json.h"
#include "shot/json_parts.h"

namespace va {

using nlohmann::json;

namespace {

double inRange(const json& j, double low, double high, const char* what) {
    const double v = j.get<double>();
    if (!(v >= low && v <= high)) throw InputError(text("\"%s\" of the proof is outside of what it may be", what));
    return v;
}
std::string absolute(const std::string& file, const std::filesystem::path& folder) {
    const std::filesystem::path path(file);
    return file.empty() || path.is_absolute() ? file : (folder / path).lexically_normal().string();
}

json catcherJson(const CatcherSpec& c) {
    return {{"mirror", c.mirror}, {"roughness", c.roughness},    {"fade", c.fade},
            {"ripple", c.ripple}, {"ripple_size", c.rippleSize}, {"edge", c.edge}};
}
CatcherSpec catcherFrom(const json& j) {
    return {inRange(j.at("mirror"), 0, 1, "mirror"),
            inRange(j.at("roughness"), 0, 1, "roughness"),
            inRange(j.at("fade"), 0, 1e6, "fade"),
            inRange(j.at("ripple"), 0, 45, "ripple"),
            inRange(j.at("ripple_size"), 1e-6, 1e6, "ripple_size"),
            j.contains("edge") ? inRange(j["edge"], 0, 1e6, "edge") : 0};
}

json placeJson(const PlaceAndTime& p) {
    return {{"date", {p.year, p.month, p.day}},
            {"hours", p.hours},
            {"zone", p.zone},
            {"latitude", p.latitude},
            {"longitude", p.longitude},
            {"elevation", p.elevation},
            {"pressure", p.pressure},
            {"temperature", p.temperature}};
}
PlaceAndTime placeFrom(const json& j) {
    const json& d = j.at("date");
    return {d.at(0),          d.at(1),           d.at(2),           j.at("hours"),    j.at("zone"),
            j.at("latitude"), j.at("longitude"), j.at("elevation"), j.at("pressure"), j.at("temperature")};
}

}  // namespace

json proofJson(const ProofSpec& given, const std::filesystem::path& folder) {
    ProofSpec s = given;
    json j{{"samples", s.samples}, {"catch_on_ground", s.ground}};
    for (const ProofNumber& n : proofNumbers()) j["numbers"][n.path + 1] = n.of(s);
    j["sun"] = {{"on", s.sun.on}, {"to_sun", numbers(s.sun.toSun)}, {"sigma_degrees", s.sun.sigmaDegrees}};
    j["sky"] = {{"on", s.sky.on}, {"picture", relativeTo(s.sky.picture, folder)}};
    j["motion_blur"] = s.look.motionBlur;
    for (const ProofRole& r : s.roles) {
        json& to =
            j["roles"].emplace_back(json{{"thing", r.thing}, {"part", proofPartWords[int(r.part)]}, {"glow", r.glow}});
        if (r.roughness) to["roughness"] = *r.roughness;
        if (r.metalness) to["metalness"] = *r.metalness;
        if (r.part == ProofPart::pane) to["shift"] = r.shift;
        if (!(r.catches == CatcherSpec())) to["catches"] = catcherJson(r.catches);
    }
    for (const ShadowPost& p : s.posts)
        j["posts"].push_back(
            {{"frame", p.frame}, {"foot", numbers(p.foot)}, {"top", numbers(p.top)}, {"tip", numbers(p.tip)}});
    if (s.place) j["place"] = placeJson(*s.place);
    if (s.shadow)
        j["shadow"] = {{"frame", s.shadow->frame},
                       {"lit", numbers(s.shadow->lit)},
                       {"shaded", numbers(s.shadow->shaded)},
                       {"left", numbers(s.shadow->left)}};
    j["front"] = exclusionsJson({s.front.masks, s.front.matte});
    j["key"] = {{"on", s.front.key.on}, {"by", plateKeyWords[int(s.front.key.by)]}, {"invert", s.front.key.invert}};
    return j;
}

ProofSpec proofFrom(const json& j, const std::filesystem::path& folder) {
    ProofSpec s;
    s.samples = int(inRange(j.at("samples"), 1, 65536, "samples"));
    s.ground = j.at("catch_on_ground");
    for (const auto& [path, value] : j.at("numbers").items())
        if (const ProofNumber* n = proofNumber("/" + path)) n->of(s) = inRange(value, n->low, n->high, n->path + 1);
    const json &sun = j.at("sun"), &sky = j.at("sky");
    s.sun.on = sun.at("on");
    s.sun.toSun = vector3(sun.at("to_sun"));
    if (!(s.sun.toSun.norm() > 0.5 && s.sun.toSun.norm() < 2))
        throw InputError(text("the sun of the proof has no direction"));
    if (std::fabs(s.sun.toSun.norm() - 1) > 1e-9) s.sun.toSun.normalize();
    s.sun.sigmaDegrees = sun.at("sigma_degrees");
    s.sky.on = sky.at("on");
    s.sky.picture = absolute(sky.at("picture"), folder);
    s.look.motionBlur = j.at("motion_blur");
    for (const json& r : j.value("roles", json::array())) {
        ProofRole& to = s.roles.emplace_back();
        to.thing = r.at("thing");
        to.part = named<ProofPart>(r.at("part"), proofPartWords);
        to.glow = inRange(r.at("glow"), 0, 1e4, "glow");
        if (r.contains("roughness")) to.roughness = inRange(r["roughness"], 0, 1, "roughness");
        if (r.contains("metalness")) to.metalness = inRange(r["metalness"], 0, 1, "metalness");
        if (r.contains("shift")) to.shift = inRange(r["shift"], -1e4, 1e4, "shift");
        if (r.contains("catches")) to.catches = catcherFrom(r["catches"]);
    }
    for (const json& p : j.value("posts", json::array()))
        s.posts.push_back({p.at("frame"), vector2(p.at("foot")), vector2(p.at("top")), vector2(p.at("tip"))});
    if (j.contains("place")) s.place = placeFrom(j["place"]);
    if (j.contains("shadow")) {
        const json& m = j["shadow"];
        s.shadow = ShadowMeasure{m.at("frame"), vector2(m.at("lit")), vector2(m.at("shaded")), vector3(m.at("left"))};
    }
    const Exclusions front = exclusionsFrom(j.at("front"));
    s.front.masks = front.masks, s.front.matte = front.matte;
    const json& key = j.at("key");
    s.front.key.on = key.at("on");
    s.front.key.by = named<PlateKey::By>(key.at("by"), plateKeyWords);
    s.front.key.invert = key.at("invert");
    return s;
}

}  // namespace va
