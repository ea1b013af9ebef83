// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/ground_json.h"

#include "shot/json_parts.h"

namespace va {
namespace {

using nlohmann::json;
using Paths = std::vector<int>;

json lengthJson(const KnownLength& k) {
    json j{{"kind", lengthWords[int(k.kind)]}, {"paths", k.paths}, {"metres", k.metres}};
    if (k.kind == LengthKind::cameraHeight) j["frame"] = k.frame;
    if (k.sigma > 0) j["sigma"] = k.sigma;
    if (!k.name.empty()) j["name"] = k.name;
    return j;
}

KnownLength lengthFrom(const json& j) {
    KnownLength k;
    k.kind = named<LengthKind>(j.at("kind"), lengthWords);
    k.paths = j.at("paths").get<Paths>();
    k.frame = j.value("frame", 0);
    k.metres = j.at("metres");
    k.sigma = j.value("sigma", 0.0);
    k.name = j.value("name", "");
    return k;
}

/// Versions before 5 held a floor, a point, a direction and a length.
GroundSpec olderGround(const json& j) {
    GroundSpec g;
    if (const Paths floor = j.at("level_paths").get<Paths>(); !floor.empty())
        g.level.push_back({LevelKind::floor, floor, {}});
    if (j.contains("origin_path")) {
        g.origin.kind = WorldOrigin::Kind::point;
        g.origin.paths = {j["origin_path"].get<int>()};
    }
    if (j.contains("z_along")) {
        g.facing.kind = WorldFacing::Kind::points;
        g.facing.paths = j["z_along"].get<Paths>();
    }
    if (j.contains("length")) {
        KnownLength k;
        k.paths = {j["length"].at("from").get<int>(), j["length"].at("to").get<int>()};
        k.metres = j["length"].at("metres");
        g.lengths.push_back(k);
    }
    return g;
}

}  // namespace

json lineJson(const PictureLine& line) {
    return {{"frame", line.frame}, {"a", numbers(line.a)}, {"b", numbers(line.b)}};
}

PictureLine lineFrom(const json& j) { return {j.at("frame").get<int>(), vector2(j.at("a")), vector2(j.at("b"))}; }

json photoJson(const PhotoMatch& p) {
    json j{{"frame", p.frame}, {"lines", json::array()}, {"points", json::array()}, {"camera_height", p.cameraHeight}};
    for (const PhotoLine& l : p.lines)
        j["lines"].push_back({{"axis", axisWords[int(l.axis)]},
                              {"a", numbers(l.a)},
                              {"b", numbers(l.b)},
                              {"sigma", l.sigma},
                              {"drawn", l.drawn}});
    if (p.horizon) j["horizon"] = lineJson(*p.horizon);
    if (p.quad) {
        json corners = json::array();
        for (const auto& c : p.quad->corners) corners.push_back(numbers(c));
        j["rectangle"] = {{"corners", corners}, {"width", p.quad->width}, {"depth", p.quad->depth}};
    }
    for (const PhotoSpot& s : p.spots)
        j["points"].push_back(
            {{"name", s.name}, {"pixel", numbers(s.pixel)}, {"position", numbers(s.position)}, {"sigma", s.sigma}});
    return j;
}

PhotoMatch photoFrom(const json& j) {
    PhotoMatch p;
    p.frame = j.value("frame", 0);
    p.cameraHeight = j.value("camera_height", 0.0);
    for (const json& l : j.value("lines", json::array())) {
        PhotoLine line;
        line.a = vector2(l.at("a")), line.b = vector2(l.at("b"));
        line.axis = named<PhotoAxis>(l.at("axis"), axisWords);
        line.sigma = l.value("sigma", 0.5);
        line.drawn = l.value("drawn", true);
        p.lines.push_back(line);
    }
    if (j.contains("horizon")) {
        p.horizon = PictureLine{j["horizon"].value("frame", p.frame), vector2(j["horizon"].at("a")),
                                vector2(j["horizon"].at("b"))};
    }
    if (j.contains("rectangle")) {
        const json& q = j["rectangle"];
        PhotoQuad quad;
        for (size_t i = 0; i < 4; ++i) quad.corners[i] = vector2(q.at("corners").at(i));
        quad.width = q.value("width", 0.0), quad.depth = q.value("depth", 0.0);
        p.quad = quad;
    }
    for (const json& s : j.value("points", json::array()))
        p.spots.push_back(
            {vector2(s.at("pixel")), vector3(s.at("position")), s.value("sigma", 0.5), s.value("name", "")});
    return p;
}

json groundJson(const GroundSpec& g) {
    json level = json::array(), lengths = json::array(), planes = json::array(), shared = json::array();
    for (const LevelEvidence& e : g.level) {
        json o{{"kind", levelWords[int(e.kind)]}};
        if (e.kind == LevelKind::floor || e.kind == LevelKind::wall) o["paths"] = e.paths;
        else o["line"] = lineJson(e.line);
        level.push_back(std::move(o));
    }
    for (const KnownLength& k : g.lengths) lengths.push_back(lengthJson(k));
    for (const NamedPlane& p : g.planes) planes.push_back({{"id", p.id}, {"name", p.name}, {"paths", p.paths}});
    for (const SharedPoint& s : g.shared)
        shared.push_back({{"path", s.path}, {"name", s.name}, {"position", numbers(s.position)}});
    return {{"level", level},
            {"origin",
             {{"kind", originWords[int(g.origin.kind)]},
              {"paths", g.origin.paths},
              {"frame", g.origin.frame},
              {"plane", g.origin.plane},
              {"corner", g.origin.corner}}},
            {"facing",
             {{"kind", facingWords[int(g.facing.kind)]},
              {"paths", g.facing.paths},
              {"line", lineJson(g.facing.line)},
              {"plane", g.facing.plane},
              {"frame", g.facing.frame},
              {"along_x", g.facing.alongX},
              {"quarter_turns", g.facing.quarterTurns}}},
            {"lengths", lengths},
            {"planes", planes},
            {"shared", shared},
            {"by_hand",
             {{"scale", g.byHand.scale},
              {"rotation", quaternion(g.byHand.rotation)},
              {"translation", numbers(g.byHand.translation)}}}};
}

GroundSpec groundFrom(const json& j) {
    if (j.contains("level_paths")) return olderGround(j);
    GroundSpec g;
    for (const json& o : j.at("level")) {
        LevelEvidence e;
        e.kind = named<LevelKind>(o.at("kind"), levelWords);
        if (o.contains("paths")) e.paths = o["paths"].get<Paths>();
        if (o.contains("line")) e.line = lineFrom(o["line"]);
        g.level.push_back(std::move(e));
    }
    const json& o = j.at("origin");
    g.origin = {named<WorldOrigin::Kind>(o.at("kind"), originWords), o.at("paths").get<Paths>(),
                o.at("frame").get<int>(), o.at("plane").get<int>(), o.at("corner").get<int>()};
    const json& f = j.at("facing");
    g.facing = {named<WorldFacing::Kind>(f.at("kind"), facingWords),
                f.at("paths").get<Paths>(),
                lineFrom(f.at("line")),
                f.at("plane").get<int>(),
                f.at("frame").get<int>(),
                f.at("along_x").get<bool>(),
                f.at("quarter_turns").get<int>()};
    for (const json& k : j.at("lengths")) g.lengths.push_back(lengthFrom(k));
    for (const json& p : j.at("planes"))
        g.planes.push_back({p.at("id").get<int>(), p.at("name").get<std::string>(), p.at("paths").get<Paths>()});
    for (const json& s : j.at("shared"))
        g.shared.push_back({s.at("path").get<int>(), s.at("name").get<std::string>(), vector3(s.at("position"))});
    const json& h = j.at("by_hand");
    g.byHand = {h.at("scale").get<double>(), quaternion(h.at("rotation")), vector3(h.at("translation"))};
    return g;
}

}  // namespace va
