// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/shot_file.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/file_paths.h"
#include "base/json_text.h"
#include "base/text.h"
#include "shot/chart_json.h"
#include "shot/feature_json.h"
#include "shot/flat_json.h"
#include "shot/ground_json.h"
#include "shot/json_parts.h"
#include "shot/layout_json.h"
#include "shot/lens_json.h"
#include "shot/older_versions.h"
#include "shot/proof_json.h"
#include "shot/shot_check.h"
#include "shot/solve_json.h"
#include "shot/still_json.h"

namespace va {
namespace {

using nlohmann::json;

json rational(const Rational& r) { return {{"num", r.num}, {"den", r.den}}; }
Rational rationalFrom(const json& j) { return reduced(j.at("num"), j.at("den")); }

constexpr const char* moverScaleNames[] = {"ground", "distance", "given"};
constexpr const char* moveNames[] = {"automatic", "free", "rotation", "locked_off"};
constexpr const char* zoomNames[] = {"automatic", "constant", "zooms"};
constexpr const char* encodingNames[] = {"display", "linear", "log"};

json plateJson(const Shot& s, const std::filesystem::path& folder) {
    const PlateInfo& p = s.plate;
    json j{{"path", relativeTo(s.plateSpec, folder)},
           {"width", p.width},
           {"height", p.height},
           {"rate", rational(p.rate)},
           {"rate_assumed", p.rateAssumed},
           {"pixel_aspect", rational(p.pixelAspect)},
           {"rotation", p.rotation},
           {"first", p.frames.first},
           {"last", p.frames.last},
           {"format", p.format},
           {"bits", p.bits},
           {"encoding", encodingNames[int(p.encoding)]},
           {"still", p.still},
           {"camera_maker", p.cameraMaker},
           {"camera_model", p.cameraModel},
           {"gaps", json::array()},
           {"findings", s.findings},
           {"motion_blur",
            {{"open_share", s.blur.openShare},
             {"looked", {s.blur.looked.first, s.blur.looked.last}},
             {"smeared", s.blur.smeared}}}};
    for (const auto& g : p.gaps) j["gaps"].push_back({g.first, g.last});
    if (!p.damaged.empty()) j["damaged"] = p.damaged;
    if (p.mirrored) j["mirrored"] = true;
    if (!p.times.empty()) j["times"] = p.times;
    if (!p.storedFrames.empty()) j["stored_frames"] = p.storedFrames;
    if (s.overrides.stream) j["stream_override"] = *s.overrides.stream;
    if (s.overrides.evenTimes) j["even_times"] = true;
    if (p.focalMm) j["metadata_focal_mm"] = *p.focalMm;
    if (p.focal35Mm) j["metadata_focal_35mm"] = *p.focal35Mm;
    if (p.sensorWidthMm) j["metadata_sensor_width_mm"] = *p.sensorWidthMm;
    if (p.digitalZoom) j["metadata_digital_zoom"] = *p.digitalZoom;
    if (!p.lensModel.empty()) j["lens_model"] = p.lensModel;
    if (s.overrides.rate) j["rate_override"] = rational(*s.overrides.rate);
    if (s.overrides.pixelAspect) j["pixel_aspect_override"] = rational(*s.overrides.pixelAspect);
    return j;
}

void readPlate(const json& j, Shot& s, const std::filesystem::path& folder) {
    const std::filesystem::path spec = j.at("path").get<std::string>();
    s.plateSpec = spec.empty() || spec.is_absolute() ? spec.string() : (folder / spec).lexically_normal().string();
    PlateInfo& p = s.plate;
    p.spec = s.plateSpec;
    p.width = j.at("width");
    p.height = j.at("height");
    p.rate = rationalFrom(j.at("rate"));
    p.rateAssumed = j.at("rate_assumed");
    p.pixelAspect = rationalFrom(j.at("pixel_aspect"));
    p.rotation = j.at("rotation");
    p.frames = {j.at("first"), j.at("last")};
    p.format = j.at("format");
    p.bits = j.at("bits");
    p.encoding = named<PictureEncoding>(j.at("encoding"), encodingNames);
    p.still = j.at("still");
    p.cameraMaker = j.at("camera_maker");
    p.cameraModel = j.at("camera_model");
    for (const auto& g : j.at("gaps")) p.gaps.push_back({g.at(0), g.at(1)});
    if (j.contains("damaged")) p.damaged = j["damaged"].get<std::vector<FrameDamage>>();
    p.mirrored = j.value("mirrored", false);
    p.times = j.value("times", std::vector<double>());
    p.storedFrames = j.value("stored_frames", std::vector<int>());
    s.overrides.evenTimes = j.value("even_times", false);
    if (j.contains("stream_override")) s.overrides.stream = j["stream_override"].get<int>();
    if (j.contains("metadata_focal_mm")) p.focalMm = j["metadata_focal_mm"].get<double>();
    if (j.contains("metadata_focal_35mm")) p.focal35Mm = j["metadata_focal_35mm"].get<double>();
    if (j.contains("metadata_sensor_width_mm")) p.sensorWidthMm = j["metadata_sensor_width_mm"].get<double>();
    if (j.contains("metadata_digital_zoom")) p.digitalZoom = j["metadata_digital_zoom"].get<double>();
    p.lensModel = j.value("lens_model", "");
    if (j.contains("rate_override")) s.overrides.rate = rationalFrom(j["rate_override"]);
    if (j.contains("pixel_aspect_override")) s.overrides.pixelAspect = rationalFrom(j["pixel_aspect_override"]);
    if (j.contains("findings")) s.findings = j["findings"].get<PlateFindings>();
    if (j.contains("motion_blur")) {
        const json& b = j["motion_blur"];
        s.blur = {b.at("open_share").get<double>(),
                  {b.at("looked").at(0).get<int>(), b.at("looked").at(1).get<int>()},
                  b.at("smeared").get<int>()};
    }
    // Version 1 had one mask file and nothing else.
    s.exclusions.matte.spec = j.value("mask", "");
}

/// A project is a dozen levels deep. What is made to be much deeper would take the stack of whoever walks through it.
bool nestedTooDeep(const std::string& content) {
    int depth = 0;
    bool inString = false;
    for (size_t i = 0; i < content.size(); ++i) {
        const char c = content[i];
        if (inString) {
            if (c == '\\') ++i;
            else if (c == '"') inString = false;
        } else if (c == '"') inString = true;
        else if (c == '{' || c == '[') {
            if (++depth > 64) return true;
        } else if (c == '}' || c == ']') --depth;
    }
    return false;
}

}  // namespace

std::string shotToText(const Shot& s, const std::filesystem::path& folder) {
    json j{{"format", "vivid-anchor-shot"},
           {"version", shotFileVersion},
           {"name", s.name},
           {"plate", plateJson(s, folder)},
           {"range", {s.range.first, s.range.last}},
           {"seed", s.seed},
           {"camera_back",
            {{"sensor_width_mm", s.priors.sensorWidthMm},
             {"sensor_assumed", s.priors.sensorAssumed},
             {"focal", knownNames[int(s.priors.focal)]},
             {"focal_mm", s.priors.focalMm},
             {"distortion", knownNames[int(s.priors.distortion)]},
             {"lens", lensToJson(s.priors.lens)},
             {"principal", knownNames[int(s.priors.principal)]},
             {"principal_offset_px", numbers(s.priors.principalOffset)},
             {"readout", knownNames[int(s.priors.readoutKnown)]},
             {"readout_share", s.priors.readout},
             {"camera", s.priors.camera},
             {"cut",
              {{"full_width", s.priors.cut.fullWidth},
               {"full_height", s.priors.cut.fullHeight},
               {"left", s.priors.cut.left},
               {"top", s.priors.cut.top}}}}},
           {"choices",
            {{"move", moveNames[int(s.choices.move)]},
             {"zoom", zoomNames[int(s.choices.zoom)]},
             {"thing", s.choices.thing}}},
           {"straight_edges", json::array()},
           {"chart_stills", s.chartStills},
           {"track_undistorted", s.trackUndistorted},
           {"paths_from", s.pathsFrom},
           {"tracked", {s.tracked.first, s.tracked.last}},
           {"density", densityNames[int(s.density)]},
           {"care", careNames[int(s.care)]},
           {"exclusions", exclusionsJson(s.exclusions)},
           {"exclusions_tracked", exclusionsJson(s.exclusionsTracked)},
           {"patches", json::array()},
           {"solve_from", s.solveFrom},
           {"exported_from", s.exportedFrom},
           {"export_report", s.exportReport},
           {"export_failed", s.exportFailed},
           {"ground", groundJson(s.groundSpec)},
           {"upright_edges", json::array()},
           {"refine_report", s.refineReport},
           {"camera_from", s.cameraFrom},
           {"check_points", json::array()},
           {"path_edits", json::array()},
           {"movers", json::array()},
           {"things", json::array()},
           {"paths", json::array()},
           {"solve", solveJson(*s.solve)}};
    if (!s.photo.empty()) j["photo"] = photoJson(s.photo);
    for (const ReferenceStill& still : s.stills) j["reference_stills"].push_back(stillJson(still, folder));
    for (const PictureLine& line : s.uprights) j["upright_edges"].push_back(lineJson(line));
    for (const Thing& t : s.things) j["things"].push_back(layoutThingJson(t, folder));
    if (!(s.proof == ProofSpec())) j["proof"] = proofJson(s.proof, folder);
    if (!(s.layers == CameraLayers())) j["camera_layers"] = layersJson(s.layers);
    for (const CheckPoint& c : s.checkPoints) j["check_points"].push_back(checkPointJson(c));
    for (const PathEdit& e : s.pathEdits) j["path_edits"].push_back(pathEditJson(e));
    for (const Mover& m : s.movers)
        j["movers"].push_back({{"id", m.id},
                               {"name", m.name},
                               {"paths", m.paths},
                               {"scale_by", moverScaleNames[int(m.scaleBy)]},
                               {"from", m.from},
                               {"to", m.to},
                               {"metres", m.metres},
                               {"size", m.size},
                               {"solve_from", m.solveFrom},
                               {"solve", solveJson(*m.solve)}});
    if (!s.chart->stills.empty()) j["chart"] = chartToJson(*s.chart);
    for (const StraightEdge& e : s.edges) j["straight_edges"].push_back(edgeToJson(e));
    for (const FlatPatch& p : s.patches) j["patches"].push_back(patchJson(p));
    for (const Path& p : *s.paths) j["paths"].push_back(pathJson(p));
    return dumpJson(j) + "\n";
}

Shot shotFromText(const std::string& content, const std::filesystem::path& file) {
    const std::string name = "\"" + file.string() + "\"";
    json j = nestedTooDeep(content) ? json(json::value_t::discarded) : json::parse(content, nullptr, false);
    if (j.is_discarded() || !j.is_object() || !j.contains("format") || j["format"] != "vivid-anchor-shot")
        throw InputError(
            text("%s is not a whole Vivid Anchor project: it may be cut off, or another kind of file. Try the "
                 "autosaved copy beside it (name ending in ~).",
                 name.c_str()));
    if (j.contains("version") && j["version"].is_number_integer() && j["version"].get<int>() > shotFileVersion)
        throw InputError(
            text("%s was written by a newer Vivid Anchor (file version %d, this one reads up to %d). Open it there, or "
                 "install the newer version.",
                 name.c_str(), j.at("version").get<int>(), shotFileVersion));
    try {
        restoreBytes(j, content);
        renameOlderKeys(j);
        Shot s;
        s.name = j.at("name");
        readPlate(j.at("plate"), s, file.parent_path());
        s.range = {j.at("range").at(0), j.at("range").at(1)};
        s.seed = j.at("seed");
        if (j.contains("choices")) {
            s.choices.move = named<MoveChoice>(j["choices"].at("move"), moveNames);
            s.choices.zoom = named<ZoomChoice>(j["choices"].at("zoom"), zoomNames);
            s.choices.thing = j["choices"].value("thing", false);
        }
        s.refineReport = j.value("refine_report", "");
        s.cameraFrom = j.value("camera_from", "");
        for (const json& c : j.value("check_points", json::array())) s.checkPoints.push_back(checkPointFrom(c));
        for (const json& e : j.value("path_edits", json::array())) s.pathEdits.push_back(pathEditFrom(e));
        const json& back = j.at("camera_back");
        if (back.contains("readout")) {
            s.priors.readoutKnown = named<Known>(back["readout"], knownNames);
            s.priors.readout = back.at("readout_share");
        }
        s.priors.sensorWidthMm = back.at("sensor_width_mm");
        s.priors.sensorAssumed = back.at("sensor_assumed");
        s.priors.focal = named<Known>(back.at("focal"), knownNames);
        s.priors.focalMm = back.at("focal_mm");
        s.priors.distortion = named<Known>(back.at("distortion"), knownNames);
        s.priors.lens = lensFromJson(back.at("lens"));
        // Left out by earlier versions.
        if (back.contains("principal")) {
            s.priors.principal = named<Known>(back.at("principal"), knownNames);
            const auto& offset = back.at("principal_offset_px");
            s.priors.principalOffset = {offset.at(0).get<double>(), offset.at(1).get<double>()};
        }
        if (back.contains("cut")) {
            s.priors.camera = back.at("camera");
            const json& cut = back.at("cut");
            s.priors.cut = {cut.at("full_width"), cut.at("full_height"), cut.at("left"), cut.at("top")};
            for (const json& e : j.at("straight_edges")) s.edges.push_back(edgeFromJson(e));
            s.chartStills = j.at("chart_stills").get<std::vector<std::string>>();
            s.trackUndistorted = j.at("track_undistorted");
        }
        if (j.contains("chart")) s.chart = std::make_shared<ChartCalibration>(chartFromJson(j["chart"]));
        s.pathsFrom = j.at("paths_from");
        if (j.at("version").get<int>() >= 2) {
            s.tracked = {j.at("tracked").at(0), j.at("tracked").at(1)};
            s.density = named<Density>(j.at("density"), densityNames);
            s.care = named<Care>(j.at("care"), careNames);
            s.exclusions = exclusionsFrom(j.at("exclusions"));
            s.exclusionsTracked = exclusionsFrom(j.at("exclusions_tracked"));
            for (const auto& p : j.at("patches")) s.patches.push_back(patchFrom(p));
        } else if (s.pathsFrom != 0) {
            s.tracked = s.range;
            s.exclusionsTracked = s.exclusions;
            s.pathsFrom = fingerprintOfTrackInput(s);
        }
        s.solveFrom = j.at("solve_from");
        s.exportedFrom = j.at("exported_from");
        s.exportReport = j.at("export_report");
        s.exportFailed = j.value("export_failed", false);
        s.groundSpec = groundFrom(j.at("ground"));
        if (j.contains("photo")) s.photo = photoFrom(j["photo"]);
        for (const auto& still : j.value("reference_stills", json::array()))
            s.stills.push_back(stillFrom(still, file.parent_path()));
        for (const auto& line : j.value("upright_edges", json::array())) s.uprights.push_back(lineFrom(line));
        for (const auto& t : j.at("things")) s.things.push_back(layoutThingFrom(t, file.parent_path()));
        if (j.contains("proof")) s.proof = proofFrom(j["proof"], file.parent_path());
        if (j.contains("camera_layers")) s.layers = layersFrom(j["camera_layers"]);
        auto paths = std::make_shared<std::vector<Path>>();
        for (const auto& p : j.at("paths")) paths->push_back(pathFrom(p));
        std::sort(paths->begin(), paths->end(), [](const Path& a, const Path& b) { return a.id < b.id; });
        s.paths = paths;
        s.solve = std::make_shared<SolveResult>(solveFrom(j.at("solve")));
        for (const auto& m : j.value("movers", json::array())) {
            Mover mover;
            mover.id = m.at("id");
            mover.name = m.at("name");
            mover.paths = m.at("paths").get<std::vector<int>>();
            mover.scaleBy = named<MoverScale>(m.at("scale_by"), moverScaleNames);
            mover.from = m.at("from"), mover.to = m.at("to");
            mover.metres = m.at("metres"), mover.size = m.at("size");
            mover.solveFrom = m.at("solve_from");
            mover.solve = std::make_shared<SolveResult>(solveFrom(m.at("solve")));
            s.movers.push_back(std::move(mover));
        }
        requireSound(s);
        if (s.solve->motion == Motion::still) s.photo.fit = std::make_shared<PhotoFit>(matchPhoto(photoEvidenceOf(s)));
        s.groundBasis = makeGroundBasis(s.solve, s.uprights, setLengths(s));
        s.ground = std::make_shared<GroundFit>(buildGround(*s.groundBasis, s.groundSpec));
        return s;
    } catch (const InputError& e) {
        throw InputError(text("%s: %s. Try the autosaved copy beside it (name ending in ~).", name.c_str(), e.what()));
    } catch (const json::exception& e) {
        throw InputError(text("%s is a Vivid Anchor project with a part missing or damaged. Try the autosaved copy "
                              "beside it (name ending in ~).",
                              name.c_str()),
                         e.what());
    } catch (const std::invalid_argument& e) {
        throw InputError(
            text("%s is a Vivid Anchor project with a thing that can't be: %s. Try the autosaved copy beside it (name "
                 "ending in ~).",
                 name.c_str(), e.what()));
    }
}

void writeShot(const Shot& shot, const std::filesystem::path& file, const std::filesystem::path& place) {
    const std::filesystem::path folder = !place.empty()           ? place
                                         : file.has_parent_path() ? file.parent_path()
                                                                  : std::filesystem::path(".");
    writeFileAtomically(file, shotToText(shot, folder));
}

Shot readShot(const std::filesystem::path& file) { return shotFromText(readFile(file), file); }

}  // namespace va
