// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/solve_json.h"

#include <nlohmann/json.hpp>

#include "shot/chart_json.h"
#include "shot/flat_json.h"
#include "shot/json_parts.h"
#include "shot/lens_json.h"
#include "shot/rate_json.h"
#include "shot/still_json.h"

namespace va {

using nlohmann::json;

namespace {

constexpr const char* motionNames[] = {"none", "free", "rotation", "locked_off", "still"};
constexpr const char* troubleNames[] = {"none",        "too-few-frames", "too-few-paths",
                                        "no-parallax", "no-start",       "growth-stopped"};
constexpr const char* outlierNames[] = {"noise",     "other_reference", "few_frames",    "slides",
                                        "not_scene", "not_rotation",    "not_locked_off"};
constexpr const char* panCauseNames[] = {"none", "noise", "squeeze", "off_centre"};
constexpr const char* editNames[] = {"leave_out", "fill", "smooth"};

}  // namespace

nlohmann::json solveJson(const SolveResult& r) {
    json j{{"motion", motionNames[int(r.motion)]},
           {"trouble", troubleNames[int(r.trouble)]},
           {"rms_px", r.rmsPx},
           {"check_rms_px", r.checkRmsPx},
           {"check_paths", r.checkPaths},
           {"parallax_px", r.parallaxPx},
           {"rotation_rms_px", r.rotationRmsPx},
           {"parallax_deg", r.parallaxByFrame},
           {"seconds", r.solveSeconds},
           {"lens", lensToJson(r.lens.lens)},
           {"lens_numbers", r.lensNumbers},
           {"lens_map_sigma_px", r.lensMapSigmaPx},
           {"distortion_refused_px", r.distortionRefusedPx},
           {"focal_px", r.lens.focalPx},
           {"zooms", r.zooms},
           {"errors_together", r.errorsTogether},
           {"preliminary", r.preliminary},
           {"lens_with_movers", r.lensWithMovers},
           {"pan_cause", panCauseNames[int(r.panCause)]},
           {"moving_together", r.movingTogether},
           {"held_back", r.heldBack},
           {"readout", r.readout},
           {"readout_sigma", r.readoutSigma},
           {"height", r.height},
           {"free_rms_px", r.freeRmsPx},
           {"reports", json::array()},
           {"pixel_aspect", r.lens.pixelAspect},
           {"principal_point_px", numbers(r.lens.principalPoint)},
           {"frames", json::array()},
           {"points", json::array()},
           {"outliers", json::array()}};
    for (const auto& f : r.frames) {
        j["frames"].push_back({{"frame", f.frame},
                               {"solved", f.solved},
                               {"position", numbers(f.pose.position)},
                               {"rotation", quaternion(f.pose.worldFromCamera)},
                               {"focal_px", f.focalPx},
                               {"rms_px", f.rmsPx},
                               {"observations", f.observations}});
        if (f.rate) j["frames"].back()["rate"] = rateToJson(*f.rate);
        if (f.origin == PoseOrigin::solved) continue;
        j["frames"].back()["origin"] = poseOriginNames[int(f.origin)];
        if (f.before)
            j["frames"].back()["before"] = {numbers(f.before->position), quaternion(f.before->worldFromCamera)};
    }
    for (const MeasureReport& m : r.reports)
        j["reports"].push_back({{"used", m.used}, {"why", m.why}, {"off", m.off}, {"in_tolerances", m.inTolerances}});
    if (r.uprightSigmaDeg >= 0) j["upright_sigma_deg"] = r.uprightSigmaDeg;
    if (r.measured.scaled)
        j["measured"] = {{"placed", r.measured.placed},
                         {"scale", r.measured.fromSolve.scale},
                         {"rotation", quaternion(r.measured.fromSolve.rotation)},
                         {"shift", numbers(r.measured.fromSolve.translation)}};
    for (const auto& p : r.points)
        j["points"].push_back({{"path", p.pathId},
                               {"position", numbers(p.position)},
                               {"rms_px", p.rmsPx},
                               {"worst_px", p.worstPx},
                               {"worst_frame", p.worstFrame},
                               {"observations", p.observations},
                               {"stretch", {p.stretch.first, p.stretch.last}},
                               {"weight", p.weight},
                               {"held_back", p.heldBack}});
    for (const SolvedStill& still : r.stills) j["stills"].push_back(solvedStillJson(still));
    for (const auto& o : r.outliers)
        j["outliers"].push_back(
            {{"path", o.pathId}, {"whole", o.whole}, {"frames", o.frames}, {"reason", outlierNames[int(o.reason)]}});
    return j;
}

SolveResult solveFrom(const json& j) {
    SolveResult r;
    r.motion = named<Motion>(j.at("motion"), motionNames);
    r.trouble = named<SolveTrouble>(j.at("trouble"), troubleNames);
    r.rmsPx = j.at("rms_px");
    r.checkRmsPx = j.at("check_rms_px");
    r.checkPaths = j.at("check_paths");
    r.parallaxPx = j.at("parallax_px");
    r.rotationRmsPx = j.at("rotation_rms_px");
    r.parallaxByFrame = j.at("parallax_deg").get<std::vector<double>>();
    r.solveSeconds = j.at("seconds");
    r.lens.lens = lensFromJson(j.at("lens"));
    // Left out by earlier versions.
    if (j.contains("lens_numbers")) r.lensNumbers = lensNumbersFromJson(j["lens_numbers"]);
    r.lensMapSigmaPx = j.value("lens_map_sigma_px", 0.0);
    r.distortionRefusedPx = j.value("distortion_refused_px", -1.0);
    r.lens.focalPx = j.at("focal_px");
    r.zooms = j.value("zooms", false);
    r.errorsTogether = j.value("errors_together", 1.0);
    r.preliminary = j.value("preliminary", false);
    r.lensWithMovers = j.value("lens_with_movers", false);
    if (j.contains("pan_cause")) r.panCause = named<PanCause>(j["pan_cause"], panCauseNames);
    r.movingTogether = j.value("moving_together", std::vector<int>());
    r.lens.pixelAspect = j.at("pixel_aspect");
    r.lens.principalPoint = {j.at("principal_point_px").at(0).get<double>(),
                             j.at("principal_point_px").at(1).get<double>()};
    r.heldBack = j.value("held_back", std::vector<int>());
    r.readout = j.value("readout", 0.0);
    r.readoutSigma = j.value("readout_sigma", -1.0);
    r.height = j.value("height", 0);
    r.freeRmsPx = j.value("free_rms_px", -1.0);
    for (const json& m : j.value("reports", json::array()))
        r.reports.push_back({m.at("used"), m.at("why"), m.at("off"), m.at("in_tolerances")});
    r.uprightSigmaDeg = j.value("upright_sigma_deg", -1.0);
    if (j.contains("measured")) {
        const json& m = j["measured"];
        r.measured = {true, m.at("placed"), {m.at("scale"), quaternion(m.at("rotation")), vector3(m.at("shift"))}};
    }
    for (const auto& f : j.at("frames")) {
        SolvedFrame frame;
        frame.frame = f.at("frame");
        frame.solved = f.at("solved");
        frame.pose = {vector3(f.at("position")), quaternion(f.at("rotation"))};
        frame.focalPx = f.at("focal_px");
        frame.rmsPx = f.at("rms_px");
        frame.observations = f.at("observations");
        if (f.contains("origin")) frame.origin = named<PoseOrigin>(f["origin"], poseOriginNames);
        if (f.contains("rate")) frame.rate = rateFromJson(f["rate"]);
        if (f.contains("before")) frame.before = CameraPose{vector3(f["before"].at(0)), quaternion(f["before"].at(1))};
        r.frames.push_back(frame);
    }
    for (const auto& p : j.at("points"))
        r.points.push_back({p.at("path"), vector3(p.at("position")), p.at("rms_px"), p.at("worst_px"),
                            p.at("worst_frame"), p.at("observations"),
                            FrameRange{p.at("stretch").at(0), p.at("stretch").at(1)}, p.value("weight", 1.0),
                            p.at("held_back")});
    for (const json& still : j.value("stills", json::array())) r.stills.push_back(solvedStillFrom(still));
    for (const auto& o : j.at("outliers"))
        r.outliers.push_back({o.at("path"), o.at("whole"), o.at("frames").get<std::vector<int>>(),
                              named<OutlierReason>(o.at("reason"), outlierNames)});
    return r;
}

json checkPointJson(const CheckPoint& c) {
    const KnownMeasure& m = c.measure;
    return {{"id", c.id},
            {"name", c.name},
            {"on", c.on},
            {"kind", measureNames[int(m.kind)]},
            {"paths", m.paths},
            {"target", numbers(m.target)},
            {"normal", numbers(m.normal)},
            {"length", m.length},
            {"tolerance", m.tolerance}};
}

CheckPoint checkPointFrom(const json& j) {
    CheckPoint c;
    c.id = j.at("id");
    c.name = j.at("name");
    c.on = j.at("on");
    c.measure.kind = named<PointTie::Kind>(j.at("kind"), measureNames);
    c.measure.paths = j.at("paths").get<std::vector<int>>();
    c.measure.target = vector3(j.at("target"));
    c.measure.normal = vector3(j.at("normal"));
    c.measure.length = j.at("length");
    c.measure.tolerance = j.at("tolerance");
    return c;
}

json pathEditJson(const PathEdit& e) {
    return {{"kind", editNames[int(e.kind)]}, {"frames", {e.frames.first, e.frames.last}}, {"width", e.width}};
}

PathEdit pathEditFrom(const json& j) {
    return {named<PathEdit::Kind>(j.at("kind"), editNames),
            {j.at("frames").at(0).get<int>(), j.at("frames").at(1).get<int>()},
            j.at("width").get<double>()};
}

}  // namespace va
