// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/feature_json.h"

#include <cmath>

#include "base/text.h"
#include "shot/json_parts.h"

namespace va {
namespace {

using nlohmann::json;

constexpr const char* rideNames[] = {"nothing", "patch", "path"};
constexpr const char* betweenNames[] = {"hold", "linear", "smooth"};

/// Keys go evenly from one to the next unless they say otherwise.
void putBetween(json& key, Between between) {
    if (between != Between::linear) key["between"] = betweenNames[size_t(between)];
}
Between betweenFrom(const json& key) {
    return key.contains("between") ? named<Between>(key["between"], betweenNames) : Between::linear;
}

double rounded(double v, double steps) { return std::round(v * steps) / steps; }

json cornersJson(const Corners& c) {
    json out = json::array();
    for (const auto& p : c) out.push_back(numbers(p));
    return out;
}
Corners cornersFrom(const json& j) { return {vector2(j.at(0)), vector2(j.at(1)), vector2(j.at(2)), vector2(j.at(3))}; }

}  // namespace

/// Columns, not objects: a tenth of the size, and quick to read. What is the same in all points is left out.
json pathJson(const Path& p) {
    json frame = json::array(), x = json::array(), y = json::array(), quality = json::array(),
         covariance = json::array(), chain = json::array(), drift = json::array(), origin = json::array(),
         aside = json::array(), masked = json::array(), doubtful = json::array();
    for (const PathPoint& q : p.points) {
        frame.push_back(q.frame);
        x.push_back(q.x);
        y.push_back(q.y);
        quality.push_back(rounded(double(q.quality), 1e4));
        covariance.push_back({q.sxx, q.sxy, q.syy});
        chain.push_back(q.chain);
        drift.push_back(rounded(double(q.drift), 1e4));
        origin.push_back(pointOriginNames[size_t(q.origin)]);
        if (q.aside) aside.push_back(q.frame);
        if (q.masked) masked.push_back(q.frame);
        if (q.doubtful) doubtful.push_back(q.frame);
    }
    json j{{"id", p.id},
           {"name", p.name},
           {"by_hand", p.origin == PathOrigin::byHand},
           {"set_aside", p.setAside},
           {"reason", p.setAsideReason},
           {"reference", p.referenceFrame},
           {"mover", p.mover},
           {"model", modelNames[size_t(p.model)]},
           {"radius", p.radius},
           {"search_radius", p.searchRadius},
           {"variance_inflation", rounded(double(p.evidence.varianceInflation), 1e4)},
           {"anisotropy", rounded(double(p.evidence.anisotropy), 1e4)},
           {"frame", frame},
           {"x", x},
           {"y", y},
           {"quality", quality},
           {"covariance", covariance},
           {"chain", chain},
           {"drift", drift}};
    for (const PathPoint& q : p.points)
        if (q.origin != PointOrigin::tracked) {
            j["origin"] = origin;
            break;
        }
    if (!aside.empty()) j["aside"] = aside;
    if (!masked.empty()) j["masked"] = masked;
    if (!doubtful.empty()) j["doubtful"] = doubtful;
    return j;
}

Path pathFrom(const json& j) {
    Path p;
    p.id = j.at("id");
    p.name = j.value("name", "");
    p.origin = j.value("by_hand", false) ? PathOrigin::byHand : PathOrigin::automatic;
    p.setAside = j.value("set_aside", false);
    p.setAsideReason = j.value("reason", "");
    p.mover = j.value("mover", 0);
    if (j.contains("model")) p.model = named<MotionModel>(j["model"], modelNames);
    p.radius = j.value("radius", 0);
    p.searchRadius = j.value("search_radius", 0);
    p.evidence = {j.value("variance_inflation", 1.0f), j.value("anisotropy", 1.0f)};
    const json &frame = j.at("frame"), &x = j.at("x"), &y = j.at("y");
    const auto column = [&](const char* name) -> const json* {
        return j.contains(name) && !j[name].empty() ? &j[name] : nullptr;
    };
    const json *quality = column("quality"), *covariance = column("covariance"), *chain = column("chain"),
               *drift = column("drift"), *origin = column("origin");
    for (size_t i = 0; i < frame.size(); ++i) {
        PathPoint q;
        q.frame = frame.at(i);
        q.x = x.at(i);
        q.y = y.at(i);
        if (quality) q.quality = quality->at(i);
        if (covariance)
            q.sxx = covariance->at(i).at(0), q.sxy = covariance->at(i).at(1), q.syy = covariance->at(i).at(2);
        if (chain) q.chain = chain->at(i);
        if (drift) q.drift = drift->at(i);
        if (origin) q.origin = named<PointOrigin>(origin->at(i), pointOriginNames);
        if (!std::isfinite(q.x) || !std::isfinite(q.y)) throw InputError(text("a position that is not a number"));
        p.points.push_back(q);
    }
    std::sort(p.points.begin(), p.points.end(),
              [](const PathPoint& a, const PathPoint& b) { return a.frame < b.frame; });
    p.referenceFrame = j.value("reference", p.points.empty() ? 0 : p.points.front().frame);
    for (const auto& [list, flag] : {std::pair("aside", &PathPoint::aside), std::pair("masked", &PathPoint::masked),
                                     std::pair("doubtful", &PathPoint::doubtful)})
        if (j.contains(list))
            for (const auto& f : j[list])
                if (PathPoint* q = p.at(f.get<int>())) q->*flag = true;
    return p;
}

json patchJson(const FlatPatch& p) {
    json j{{"id", p.id},
           {"name", p.name},
           {"reference", p.referenceFrame},
           {"trouble", p.trouble},
           {"outline", json::array()},
           {"corners", cornersJson(p.corners)},
           {"frames", json::array()},
           {"corrections", json::array()}};
    for (const auto& o : p.outline) j["outline"].push_back(numbers(o));
    for (const PatchFrame& f : p.frames) {
        json map = json::array();
        for (int r = 0; r < 3; ++r)
            for (int c = 0; c < 3; ++c) map.push_back(f.map(r, c));
        j["frames"].push_back({{"frame", f.frame}, {"map", map}, {"quality", f.quality}, {"visible", f.visible}});
    }
    for (const auto& k : p.corrections) {
        j["corrections"].push_back({{"frame", k.frame}, {"by", cornersJson(k.value)}});
        putBetween(j["corrections"].back(), k.between);
    }
    return j;
}

FlatPatch patchFrom(const json& j) {
    FlatPatch p;
    p.id = j.at("id");
    p.name = j.at("name");
    p.referenceFrame = j.at("reference");
    p.trouble = j.value("trouble", "");
    for (const auto& o : j.at("outline")) p.outline.push_back(vector2(o));
    p.corners = cornersFrom(j.at("corners"));
    for (const auto& f : j.at("frames")) {
        PatchFrame o;
        o.frame = f.at("frame");
        for (int k = 0; k < 9; ++k) o.map(k / 3, k % 3) = f.at("map").at(size_t(k)).get<double>();
        o.quality = f.at("quality");
        o.visible = f.at("visible");
        p.frames.push_back(o);
    }
    for (const auto& c : j.at("corrections")) {
        const int frame = c.at("frame");
        p.corrections.set(frame, cornersFrom(c.at("by")));
        p.corrections.setBetween(frame, betweenFrom(c));
    }
    return p;
}

json maskJson(const MaskShape& m) {
    json j{{"id", m.id},          {"name", m.name},       {"enabled", m.enabled}, {"exclude", m.exclude},
           {"invert", m.invert},  {"grow", m.grow},       {"feather", m.feather}, {"ride", rideNames[size_t(m.ride)]},
           {"ride_id", m.rideId}, {"keys", json::array()}};
    for (const auto& k : m.keys) {
        json points = json::array();
        for (const MaskPoint& p : k.value)
            points.push_back({p.at.x(), p.at.y(), p.in.x(), p.in.y(), p.out.x(), p.out.y()});
        j["keys"].push_back({{"frame", k.frame}, {"points", points}});
        putBetween(j["keys"].back(), k.between);
    }
    return j;
}

MaskShape maskFrom(const json& j) {
    MaskShape m;
    m.id = j.at("id");
    m.name = j.at("name");
    m.enabled = j.at("enabled");
    m.exclude = j.at("exclude");
    m.invert = j.at("invert");
    m.grow = j.at("grow");
    m.feather = j.at("feather");
    m.ride = named<MaskRide>(j.at("ride"), rideNames);
    m.rideId = j.at("ride_id");
    for (const auto& k : j.at("keys")) {
        const int frame = k.at("frame");
        std::vector<MaskPoint> points;
        for (const auto& p : k.at("points"))
            points.push_back({{p.at(0).get<double>(), p.at(1).get<double>()},
                              {p.at(2).get<double>(), p.at(3).get<double>()},
                              {p.at(4).get<double>(), p.at(5).get<double>()}});
        m.keys.set(frame, std::move(points));
        m.keys.setBetween(frame, betweenFrom(k));
    }
    return m;
}

json exclusionsJson(const Exclusions& e) {
    json j{{"masks", json::array()},
           {"matte",
            {{"path", e.matte.spec},
             {"threshold", e.matte.threshold},
             {"invert", e.matte.invert},
             {"grow", e.matte.grow},
             {"frame_offset", e.matte.frameOffset}}}};
    for (const MaskShape& m : e.masks) j["masks"].push_back(maskJson(m));
    return j;
}

Exclusions exclusionsFrom(const json& j) {
    Exclusions e;
    for (const auto& m : j.at("masks")) e.masks.push_back(maskFrom(m));
    const json& t = j.at("matte");
    e.matte = {t.at("path"), t.at("threshold"), t.at("invert"), t.at("grow"), t.at("frame_offset")};
    return e;
}

}  // namespace va
