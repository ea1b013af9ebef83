// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/still_json.h"

#include <nlohmann/json.hpp>

#include "base/file_paths.h"
#include "shot/json_parts.h"
#include "shot/lens_json.h"

namespace va {

using nlohmann::json;

namespace {

constexpr const char* stillTroubleNames[] = {"none", "few_marks", "no_parallax", "does_not_fit", "apart"};

json marksJson(const std::vector<StillMark>& marks) {
    json out = json::array();
    for (const StillMark& m : marks)
        out.push_back({{"path", m.path}, {"at", numbers(m.pixel)}, {"sigma_px", m.sigma}, {"by_hand", m.byHand}});
    return out;
}

std::vector<StillMark> marksFrom(const json& j) {
    std::vector<StillMark> out;
    for (const json& m : j)
        out.push_back({m.at("path").get<int>(), vector2(m.at("at")), m.at("sigma_px").get<double>(),
                       m.at("by_hand").get<bool>()});
    return out;
}

}  // namespace

json stillJson(const ReferenceStill& s, const std::filesystem::path& folder) {
    json j{{"id", s.id},
           {"name", s.name},
           {"path", relativeTo(s.file, folder)},
           {"width", s.width},
           {"height", s.height},
           {"pixel_aspect", s.pixelAspect},
           {"on", s.on},
           {"marks", marksJson(s.marks)}};
    if (s.focalPx) j["metadata_focal_px"] = *s.focalPx;
    return j;
}

ReferenceStill stillFrom(const json& j, const std::filesystem::path& folder) {
    ReferenceStill s;
    s.id = j.at("id");
    s.name = j.at("name");
    const std::filesystem::path file = j.at("path").get<std::string>();
    s.file = file.is_absolute() ? file.string() : (folder / file).lexically_normal().string();
    s.width = j.at("width");
    s.height = j.at("height");
    s.pixelAspect = j.at("pixel_aspect");
    s.on = j.at("on");
    s.marks = marksFrom(j.at("marks"));
    if (j.contains("metadata_focal_px")) s.focalPx = j["metadata_focal_px"].get<double>();
    return s;
}

json solvedStillJson(const SolvedStill& s) {
    return {{"id", s.id},
            {"trouble", stillTroubleNames[int(s.trouble)]},
            {"solved", s.solved},
            {"focal_px", s.lens.focalPx},
            {"focal_sigma", s.focalSigma},
            {"pixel_aspect", s.lens.pixelAspect},
            {"principal_point_px", numbers(s.lens.principalPoint)},
            {"lens", lensToJson(s.lens.lens)},
            {"position", numbers(s.pose.position)},
            {"rotation", quaternion(s.pose.worldFromCamera)},
            {"rms_px", s.rmsPx},
            {"used", marksJson(s.used)},
            {"rejected", s.rejected}};
}

SolvedStill solvedStillFrom(const json& j) {
    SolvedStill s;
    s.id = j.at("id");
    s.trouble = named<StillTrouble>(j.at("trouble"), stillTroubleNames);
    s.solved = j.at("solved");
    s.lens.focalPx = j.at("focal_px");
    s.focalSigma = j.at("focal_sigma");
    s.lens.pixelAspect = j.at("pixel_aspect");
    s.lens.principalPoint = vector2(j.at("principal_point_px"));
    s.lens.lens = lensFromJson(j.at("lens"));
    s.pose = {vector3(j.at("position")), quaternion(j.at("rotation"))};
    s.rmsPx = j.at("rms_px");
    s.used = marksFrom(j.at("used"));
    s.rejected = j.at("rejected").get<std::vector<int>>();
    return s;
}

}  // namespace va
