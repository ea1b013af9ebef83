// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve_options.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "arguments.h"
#include "base/atomic_file.h"
#include "base/error.h"
#include "base/json_text.h"
#include "shot/json_parts.h"
#include "shot/solve_json.h"
#include "workflow/check_points.h"
#include "workflow/match_shot.h"
#include "workflow/refine_work.h"

namespace va {
using nlohmann::json;

int featureOfShot(const json& j, const Shot& shot) {
    if (j.is_number_integer()) {
        if (shot.path(j.get<int>())) return j.get<int>();
        throw InputError("there is no feature " + dumpJson(j));
    }
    if (j.is_string()) {
        for (const Path& p : *shot.paths)
            if (p.name == j.get<std::string>()) return p.id;
        throw InputError("no feature has the name " + dumpJson(j));
    }
    const int frame = j.at("frame").get<int>();
    const Eigen::Vector2d at(j.at("x").get<double>(), j.at("y").get<double>());
    double nearest = 6;
    int found = 0;
    for (const Path& p : *shot.paths) {
        const PathPoint* q = p.setAside || !shot.solve->has() ? nullptr : p.at(frame);
        if (!q || !shot.worldPointOfPath(p.id)) continue;
        const double off = (Eigen::Vector2d(q->x, q->y) - at).norm();
        if (off < nearest) nearest = off, found = p.id;
    }
    if (found == 0) throw InputError("no solved feature lies within 6 px of " + dumpJson(j));
    return found;
}

std::vector<CheckPoint> checkPointsFromJson(const std::string& text, const std::string& source, const Shot& shot) {
    const json list = json::parse(text, nullptr, false);
    const std::string name = "\"" + source + "\"";
    if (!list.is_array()) throw InputError(name + " is no JSON list of check points.");
    std::vector<CheckPoint> out;
    for (const json& j : list) {
        const std::string where = name + ", entry " + std::to_string(out.size() + 1) + ": ";
        try {
            CheckPoint c;
            c.name = j.at("name");
            c.measure.kind = named<PointTie::Kind>(j.at("kind"), measureNames);
            for (const json& f : j.at("features")) c.measure.paths.push_back(featureOfShot(f, shot));
            if (j.contains("length")) c.measure.length = j["length"];
            if (j.contains("position")) c.measure.target = vector3(j["position"]);
            if (j.contains("height")) c.measure.target = {0, j["height"].get<double>(), 0};
            c.measure.tolerance = j.value("tolerance", c.measure.kind == PointTie::Kind::rightAngle ? 0.5 : 0.01);
            if (c.measure.kind == PointTie::Kind::distance && !(c.measure.length > 0))
                throw InputError("a distance takes a \"length\" above zero");
            if (!(c.measure.tolerance >= 0)) throw InputError("a tolerance is zero or more");
            out.push_back(std::move(c));
        } catch (const json::exception&) {
            throw InputError(where +
                             "it takes \"name\", \"kind\" and \"features\", and \"length\", \"position\" or "
                             "\"height\" as its kind asks.");
        } catch (const InputError& e) {
            throw InputError(where + e.what() + ".");
        }
    }
    return out;
}

void addSolveOptions(CommandLine& c, SolveArguments& a) {
    c.option(
        "--readout", a.readout,
        "Rolling shutter: milliseconds from the first row's reading to the last one's (0: all rows at once), or the "
        "word solve; else it is found where the paths speak for it");
    c.option("--check-points", a.checkPoints,
             "Known measures: a text file of lines \"name x y z\", or a JSON list (docs/formats.md)");
    c.flag("--refine", a.refine, "Set aside what fits badly after the solve, and say what that was worth");
    c.option("--leave-out", a.leaveOut, "Frames A-B whose camera is not used: it goes between its neighbours");
    c.option("--smooth", a.smooth, "Frames A-B of the camera's path to smooth, or A-B:WIDTH in frames");
    c.flag("--fill", a.fill, "Fill frames without a camera between their neighbours, marked as such");
}

void takeReadout(Shot& shot, const SolveArguments& a) {
    if (a.readout.empty()) return;
    if (a.readout == "solve") {
        shot.priors.readoutKnown = Known::start;
        return;
    }
    char* end = nullptr;
    const double ms = std::strtod(a.readout.c_str(), &end);
    if (*end != 0 || !std::isfinite(ms)) throw UsageError("--readout", "give milliseconds, or the word solve");
    shot.priors.readoutKnown = Known::known;
    shot.priors.readout = ms / 1000 * shot.rate().value();
    if (std::fabs(shot.priors.readout) > 1)
        throw UsageError("--readout", "that is longer than a frame lasts at this rate");
}

Shot withSolveOptions(const Shot& shot, const SolveArguments& a, Progress& progress) {
    Shot out = shot;
    if (!a.checkPoints.empty()) {
        const std::string text = readFile(a.checkPoints);
        const size_t first = text.find_first_not_of(" \t\r\n");
        const bool isJson = first != std::string::npos && (text[first] == '[' || text[first] == '{');
        out = withCheckPoints(
            out, isJson ? checkPointsFromJson(text, a.checkPoints, out) : readCheckPoints(text, a.checkPoints));
        if (out.solve->has()) out = withSolveUpdated(out, progress);
    }
    if (a.refine) out = withRefinement(out, {}, progress);
    std::vector<PathEdit> edits = out.pathEdits;
    if (!a.leaveOut.empty()) edits.push_back({PathEdit::Kind::leaveOut, parseRange(a.leaveOut), 0});
    if (a.fill) edits.push_back({PathEdit::Kind::fill, out.range, 0});
    if (!a.smooth.empty()) {
        const size_t colon = a.smooth.find(':');
        PathEdit e{PathEdit::Kind::smooth, parseRange(a.smooth.substr(0, colon)), 2};
        if (colon != std::string::npos) e.width = std::strtod(a.smooth.c_str() + colon + 1, nullptr);
        if (!(e.width > 0)) throw UsageError("--smooth", "the width is in frames and above zero");
        edits.push_back(e);
    }
    return edits == out.pathEdits ? out : withCameraPathEdits(out, edits);
}

}  // namespace va
