// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/chart_json.h"

#include <nlohmann/json.hpp>

#include "shot/flat_json.h"
#include "shot/json_parts.h"
#include "shot/lens_json.h"

namespace va {

using nlohmann::json;

std::vector<LensNumber> lensNumbersFromJson(const json& j) {
    auto out = j.get<std::vector<LensNumber>>();
    for (LensNumber& n : out) n.name = currentLensValueName(n.name);
    return out;
}

json chartToJson(const ChartCalibration& c) {
    json j{{"focal_px", c.lens.focalPx},
           {"pixel_aspect", c.lens.pixelAspect},
           {"principal_point_px", numbers(c.lens.principalPoint)},
           {"lens", lensToJson(c.lens.lens)},
           {"width", c.width},
           {"height", c.height},
           {"rms_px", c.rmsPx},
           {"cover", c.cover},
           {"numbers", c.uncertainty},
           {"warnings", c.warnings},
           {"stills", json::array()},
           {"residuals", json::array()}};
    for (const auto& s : c.stills)
        j["stills"].push_back(
            {{"name", s.name}, {"rms_px", s.rmsPx}, {"used", s.used}, {"corners", s.corners}, {"aside", s.aside}});
    for (const auto& r : c.residuals)
        j["residuals"].push_back({r.still, r.pixel.x(), r.pixel.y(), r.error.x(), r.error.y(), r.used});
    return j;
}

ChartCalibration chartFromJson(const json& j) {
    ChartCalibration c;
    c.lens.focalPx = j.at("focal_px");
    c.lens.pixelAspect = j.at("pixel_aspect");
    c.lens.principalPoint = vector2(j.at("principal_point_px"));
    c.lens.lens = lensFromJson(j.at("lens"));
    c.width = j.at("width");
    c.height = j.at("height");
    c.rmsPx = j.at("rms_px");
    c.cover = j.at("cover");
    c.uncertainty = lensNumbersFromJson(j.at("numbers"));
    c.warnings = j.at("warnings").get<std::vector<std::string>>();
    for (const json& s : j.at("stills")) {
        ChartCalibration::StillResult still;
        still.name = s.at("name");
        still.rmsPx = s.at("rms_px");
        still.used = s.at("used");
        still.corners = s.at("corners");
        still.aside = s.at("aside");
        c.stills.push_back(std::move(still));
    }
    for (const json& r : j.at("residuals"))
        c.residuals.push_back({r.at(0),
                               {r.at(1).get<double>(), r.at(2).get<double>()},
                               {r.at(3).get<double>(), r.at(4).get<double>()},
                               r.at(5)});
    return c;
}

json edgeToJson(const StraightEdge& e) {
    json points = json::array();
    for (const auto& p : e.points) points.push_back(numbers(p));
    return {{"id", e.id}, {"frame", e.frame}, {"accepted", e.accepted}, {"drawn", e.drawn}, {"points", points}};
}

StraightEdge edgeFromJson(const json& j) {
    StraightEdge e{j.at("id"), j.at("frame"), {}, j.at("accepted"), j.at("drawn")};
    for (const json& p : j.at("points")) e.points.push_back(vector2(p));
    return e;
}

}  // namespace va
