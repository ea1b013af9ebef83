// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/camera_json.h"

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/json_text.h"
#include "base/text.h"
#include "exchange/export_body.h"
#include "layout/thing_json.h"
#include "shot/json_parts.h"
#include "shot/lens_json.h"
#include "shot/rate_json.h"
#include "shot/solve_json.h"

namespace va {

using nlohmann::ordered_json;

namespace {

ordered_json triple(const Eigen::Vector3d& v) { return {v.x(), v.y(), v.z()}; }
ordered_json turn(const Eigen::Quaterniond& q) { return {q.w(), q.x(), q.y(), q.z()}; }
Eigen::Vector3d tripleFrom(const ordered_json& j) {
    return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()};
}
Eigen::Quaterniond quaternionFrom(const ordered_json& j) {
    return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>(), j.at(3).get<double>()};
}

ordered_json worldJson(const SceneExport::World& w) {
    const auto orNull = [](double v) { return v >= 0 ? ordered_json(v) : ordered_json(nullptr); };
    ordered_json j{{"level_sigma_deg", orNull(w.levelSigmaDeg)},
                   {"scale_sigma_percent", orNull(w.scaleSigma >= 0 ? 100 * w.scaleSigma : -1)},
                   {"evidence", ordered_json::array()},
                   {"lengths", ordered_json::array()},
                   {"trouble", w.trouble}};
    for (const LevelReport& r : w.evidence)
        j["evidence"].push_back({{"kind", levelWords[int(r.kind)]},
                                 {"count", r.count},
                                 {"used", r.used},
                                 {"misfit_deg", r.misfitDeg},
                                 {"sigma_deg", r.sigmaDeg}});
    for (size_t i = 0; i < w.lengths.size() && i < w.lengthsMet.size(); ++i)
        j["lengths"].push_back({{"kind", lengthWords[int(w.lengths[i].kind)]},
                                {"name", w.lengths[i].name},
                                {"known_m", w.lengths[i].metres},
                                {"solved_m", w.lengthsMet[i].metres},
                                {"misfit_percent", w.lengthsMet[i].misfitPercent},
                                {"sigma_percent", w.lengthsMet[i].sigmaPercent},
                                {"used", w.lengthsMet[i].used},
                                {"note", w.lengthsMet[i].why}});
    return j;
}

SceneExport::World worldFrom(const ordered_json& j) {
    SceneExport::World w;
    const auto number = [&](const char* key) { return j.at(key).is_null() ? -1 : j.at(key).get<double>(); };
    w.levelSigmaDeg = number("level_sigma_deg");
    w.scaleSigma = number("scale_sigma_percent") / 100;
    w.trouble = j.at("trouble");
    for (const auto& o : j.at("evidence"))
        w.evidence.push_back({named<LevelKind>(o.at("kind"), levelWords), o.at("count").get<int>(),
                              o.at("misfit_deg").get<double>(), o.at("sigma_deg").get<double>(),
                              o.at("used").get<bool>()});
    for (const auto& o : j.at("lengths")) {
        KnownLength k;
        k.kind = named<LengthKind>(o.at("kind"), lengthWords);
        k.name = o.at("name");
        k.metres = o.at("known_m");
        w.lengths.push_back(k);
        w.lengthsMet.push_back({o.at("used").get<bool>(), o.at("solved_m").get<double>(),
                                o.at("misfit_percent").get<double>(), o.at("sigma_percent").get<double>(),
                                o.at("note").get<std::string>()});
    }
    return w;
}

}  // namespace

std::string writeCameraJson(const SceneExport& s) {
    ordered_json j;
    j["format"] = "vivid-anchor-camera";
    j["version"] = 1;
    j["image"] = {{"width", s.width}, {"height", s.height}, {"pixel_aspect", s.pixelAspect}};
    j["frame_rate"] = {{"num", s.rate.num}, {"den", s.rate.den}};
    j["units"] = s.metric ? "m" : "scene";
    j["up_axis"] = "y";
    j["world"] = worldJson(s.world);
    j["lens"] = lensToJson(s.lens);
    j["frames"] = ordered_json::array();
    for (const auto& f : s.frames) {
        ordered_json o{{"frame", f.frame}, {"solved", f.solved}};
        if (f.seconds) o["seconds"] = *f.seconds;
        if (f.storedFrame) o["stored_frame"] = *f.storedFrame;
        if (f.solved) {
            o["position"] = triple(f.pose.position);
            o["rotation"] = turn(f.pose.worldFromCamera);
            o["focal_px"] = f.focalPx;
            o["focal_mm"] = s.focalMm(f);
            o["sensor_width_mm"] = s.sensorWidthMm;
            o["principal_point_px"] = {s.principalPoint.x(), s.principalPoint.y()};
            o["rms_px"] = f.rmsPx;
            // What was not solved says so.
            if (f.origin != PoseOrigin::solved) o["origin"] = poseOriginNames[int(f.origin)];
            if (f.rate) o["row_motion"] = rateToJson(*f.rate);
        }
        j["frames"].push_back(o);
    }
    j["points"] = ordered_json::array();
    for (const auto& p : s.points)
        j["points"].push_back({{"id", p.id}, {"name", p.name}, {"position", triple(p.position)}, {"rms_px", p.rmsPx}});
    j["anchors"] = ordered_json::array();
    j["props"] = ordered_json::array();
    for (const SceneExport::PlacedThing& t : s.things) {
        ordered_json o;
        putThing(o, t);
        if (!t.hangsOn.empty()) o["hangs_on"] = t.hangsOn;
        if (!t.parentName.empty()) o["parent"] = t.parentName;
        for (const auto& at : t.samples) {
            ordered_json f{{"frame", at.frame},
                           {"position", triple(at.place.translation)},
                           {"rotation", turn(at.place.rotation)},
                           {"scale", at.place.scale}};
            if (!at.visible) f["visible"] = false;
            o["frames"].push_back(std::move(f));
        }
        j[hasSurface(t.kind) ? "props" : "anchors"].push_back(o);
    }
    if (!s.layered.frames.empty()) {
        const auto& l = s.layered;
        ordered_json& o = j["layered_camera"];
        o["image"] = {{"width", l.width}, {"height", l.height}};
        o["plate_at_px"] = {l.left, l.top};
        for (const auto& f : l.frames)
            o["frames"].push_back({{"frame", f.frame},
                                   {"position", triple(f.pose.position)},
                                   {"rotation", turn(f.pose.worldFromCamera)},
                                   {"focal_px", f.focalPx}});
    }
    for (const auto& p : s.planes) {
        ordered_json o{{"name", p.name}, {"corners", ordered_json::array()}};
        for (const auto& c : p.corners) o["corners"].push_back(triple(c));
        j["planes"].push_back(std::move(o));
    }
    j["movers"] = ordered_json::array();
    for (const auto& m : s.movers) {
        ordered_json o{{"name", m.name},
                       {"size_known", m.sizeKnown},
                       {"frames", ordered_json::array()},
                       {"points", ordered_json::array()}};
        for (const auto& [frame, pose] : m.poses)
            o["frames"].push_back(
                {{"frame", frame}, {"position", triple(pose.position)}, {"rotation", turn(pose.worldFromCamera)}});
        for (const auto& p : m.points)
            o["points"].push_back({{"id", p.id}, {"position", triple(p.position)}, {"rms_px", p.rmsPx}});
        j["movers"].push_back(o);
    }
    for (const auto& still : s.stills)
        j["reference_stills"].push_back(
            {{"name", still.name},
             {"image", {{"width", still.width}, {"height", still.height}, {"pixel_aspect", still.lens.pixelAspect}}},
             {"position", triple(still.pose.position)},
             {"rotation", turn(still.pose.worldFromCamera)},
             {"focal_px", still.lens.focalPx},
             {"focal_sigma", still.focalSigma},
             {"principal_point_px", {still.lens.principalPoint.x(), still.lens.principalPoint.y()}},
             {"lens", lensToJson(still.lens.lens)},
             {"rms_px", still.rmsPx}});
    j["motion"] = s.motion;
    j["rms_px"] = s.rmsPx;
    if (s.checkRmsPx >= 0) j["check_rms_px"] = s.checkRmsPx;
    else j["check_rms_px"] = nullptr;
    // The camera of a frame is that of its middle row; the last row is read this share of the frame's time after the
    // first.
    j["rolling_shutter"] = {{"readout_share", s.readout}, {"pose_row", 0.5}};
    if (s.openShare > 0) j["shutter_open_share"] = s.openShare;
    if (s.slipPx >= 0) j["expected_slip_px"] = s.slipPx;
    j["check_points"] = ordered_json::array();
    for (size_t i = 0; i < s.checkPoints.size() && i < s.reports.size(); ++i)
        j["check_points"].push_back({{"name", s.checkPoints[i].name},
                                     {"kind", measureNames[int(s.checkPoints[i].measure.kind)]},
                                     {"used", s.reports[i].used},
                                     {"off", s.reports[i].off},
                                     {"tolerance", s.checkPoints[i].measure.tolerance},
                                     {"note", s.reports[i].why}});
    j["verdict"] = s.verdict;
    return dumpJson(j, 1) + "\n";
}

SceneExport readCameraJson(const std::string& content, const std::string& source) {
    const ordered_json j = ordered_json::parse(content, nullptr, false);
    if (j.is_discarded() || !j.is_object() || j.value("format", "") != "vivid-anchor-camera" ||
        j.value("version", 0) != 1)
        throw InputError(text("\"%s\" is not a camera file of version 1. Choose a camera.json.", source.c_str()));
    try {
        SceneExport s;
        s.width = j.at("image").at("width");
        s.height = j.at("image").at("height");
        s.pixelAspect = j.at("image").at("pixel_aspect");
        s.rate = reduced(j.at("frame_rate").at("num"), j.at("frame_rate").at("den"));
        s.metric = j.at("units") == "m";
        if (j.contains("world")) s.world = worldFrom(j["world"]);
        s.lens = lensFromJson(j.at("lens"));
        for (const auto& o : j.at("frames")) {
            SceneExport::Frame f;
            f.frame = o.at("frame");
            f.solved = o.at("solved");
            if (o.contains("seconds")) f.seconds = o["seconds"].get<double>();
            if (o.contains("stored_frame")) f.storedFrame = o["stored_frame"].get<int>();
            if (f.solved) {
                f.pose = {tripleFrom(o.at("position")), quaternionFrom(o.at("rotation"))};
                f.focalPx = o.at("focal_px");
                f.rmsPx = o.at("rms_px");
                if (o.contains("row_motion")) f.rate = rateFromJson(o["row_motion"]);
                if (o.contains("origin")) f.origin = named<PoseOrigin>(o["origin"], poseOriginNames);
                s.sensorWidthMm = o.at("sensor_width_mm");
                s.principalPoint = {o.at("principal_point_px").at(0).get<double>(),
                                    o.at("principal_point_px").at(1).get<double>()};
            }
            s.frames.push_back(f);
        }
        for (const auto& o : j.at("points"))
            s.points.push_back({o.at("id"), o.at("name"), tripleFrom(o.at("position")), o.at("rms_px")});
        int id = 1;
        // Files of before name no kind.
        for (const auto& [list, kind] : {std::pair("anchors", "anchor"), std::pair("props", "box")})
            for (const auto& o : j.value(list, ordered_json::array())) {
                SceneExport::PlacedThing t(thingFrom(o, kind));
                t.id = id++;
                t.hangsOn = o.value("hangs_on", std::string());
                t.parentName = o.value("parent", std::string());
                for (const auto& f : o.value("frames", ordered_json::array()))
                    t.samples.push_back(
                        {f.at("frame").get<int>(),
                         {f.at("scale").get<double>(), quaternionFrom(f.at("rotation")), tripleFrom(f.at("position"))},
                         f.value("visible", true)});
                s.things.push_back(std::move(t));
            }
        if (j.contains("layered_camera")) {
            const auto& o = j["layered_camera"];
            s.layered = {o.at("image").at("width").get<int>(),
                         o.at("image").at("height").get<int>(),
                         o.at("plate_at_px").at(0).get<int>(),
                         o.at("plate_at_px").at(1).get<int>(),
                         {}};
            for (const auto& f : o.at("frames"))
                s.layered.frames.push_back({f.at("frame").get<int>(),
                                            {tripleFrom(f.at("position")), quaternionFrom(f.at("rotation"))},
                                            f.at("focal_px").get<double>()});
        }
        for (const auto& o : j.value("planes", ordered_json::array())) {
            SceneExport::FlatPiece p{o.at("name").get<std::string>(), {}};
            for (size_t k = 0; k < 4; ++k) p.corners[k] = tripleFrom(o.at("corners").at(k));
            s.planes.push_back(std::move(p));
        }
        for (const auto& o : j.value("movers", ordered_json::array())) {
            SceneExport::Mover m;
            m.name = o.at("name");
            m.sizeKnown = o.at("size_known");
            for (const auto& f : o.at("frames"))
                m.poses.emplace_back(f.at("frame").get<int>(),
                                     CameraPose{tripleFrom(f.at("position")), quaternionFrom(f.at("rotation"))});
            for (const auto& p : o.at("points"))
                m.points.push_back({p.at("id"), "", tripleFrom(p.at("position")), p.at("rms_px")});
            s.movers.push_back(std::move(m));
        }
        for (const auto& o : j.value("reference_stills", ordered_json::array())) {
            SceneExport::Still still;
            still.name = o.at("name");
            still.width = o.at("image").at("width");
            still.height = o.at("image").at("height");
            still.lens.pixelAspect = o.at("image").at("pixel_aspect");
            still.pose = {tripleFrom(o.at("position")), quaternionFrom(o.at("rotation"))};
            still.lens.focalPx = o.at("focal_px");
            still.focalSigma = o.at("focal_sigma");
            still.lens.principalPoint = {o.at("principal_point_px").at(0).get<double>(),
                                         o.at("principal_point_px").at(1).get<double>()};
            still.lens.lens = lensFromJson(o.at("lens"));
            still.rmsPx = o.at("rms_px");
            s.stills.push_back(still);
        }
        s.motion = j.at("motion");
        s.rmsPx = j.at("rms_px");
        s.checkRmsPx = j.at("check_rms_px").is_null() ? -1 : j.at("check_rms_px").get<double>();
        s.verdict = j.at("verdict");
        if (j.contains("rolling_shutter")) s.readout = j["rolling_shutter"].at("readout_share");
        s.openShare = j.value("shutter_open_share", 0.0);
        s.slipPx = j.value("expected_slip_px", -1.0);
        return s;
    } catch (const nlohmann::json::exception& e) {
        throw InputError(
            text("\"%s\" is a camera file with a part missing or damaged. Export it again.", source.c_str()), e.what());
    } catch (const std::invalid_argument& e) {
        throw InputError(
            text("\"%s\" is a camera file with a wrong thing in it: %s. Export it again.", source.c_str(), e.what()));
    }
}

const ExportFormat cameraJsonFormat{
    .word = "json",
    .label = "Camera and scene, JSON",
    .fileName = "camera.json",
    .write =
        [](const SceneExport& s) {
            return OutFiles{{"", writeCameraJson(s), ""}};
        },
    .read = [](const std::string& content,
               const std::string& source) { return foreignFrom(readCameraJson(content, source)); },
    .lacks = [](const SceneExport&) { return std::string(); },
    .holdsVisibility = true,
    .standardAxes = true,
    .byDefault = true,
};

}  // namespace va
