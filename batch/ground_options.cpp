// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground_options.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <sstream>

#include "base/atomic_file.h"
#include "base/error.h"
#include "shot/ground_json.h"
#include "solve_options.h"
#include "workflow/match_shot.h"

namespace va {
namespace {

using nlohmann::json;

constexpr double enoughSupport = 4;  ///< of a candidate, to take it for a wall

/// A number with an optional unit of length, in metres.
double metresFrom(const std::string& word) {
    char* end = nullptr;
    const double value = std::strtod(word.c_str(), &end);
    const std::string unit = end;
    const double factor = unit.empty() || unit == "m" ? 1
                          : unit == "cm"              ? 0.01
                          : unit == "mm"              ? 0.001
                          : unit == "ft"              ? 0.3048
                          : unit == "in"              ? 0.0254
                                                      : 0;
    if (end == word.c_str() || factor == 0 || !(value > 0) || !std::isfinite(value))
        throw UsageError("--measure", "\"" + word + "\" is no length: give it as 3.2m, 40cm, 12mm, 6ft or 8in");
    return value * factor;
}

json featureWord(const std::string& word) {
    int frame = 0, used = 0;
    double x = 0, y = 0;
    if (std::sscanf(word.c_str(), "%d:%lf,%lf%n", &frame, &x, &y, &used) == 3 && size_t(used) == word.size())
        return {{"frame", frame}, {"x", x}, {"y", y}};
    if (!word.empty() && word.find_first_not_of("0123456789") == std::string::npos) return std::stoi(word);
    return word;
}

std::vector<LevelEvidence> evidenceFromFile(const std::string& file) {
    const json j = json::parse(readFile(file), nullptr, false);
    try {
        if (!j.is_array()) throw InputError("it is no JSON list");
        GroundSpec spec;
        json whole = groundJson(spec);
        whole["level"] = j;
        return groundFrom(whole).level;
    } catch (const json::exception&) {
        throw InputError("\"" + file +
                         "\": an entry takes \"kind\" (floor, wall, upright, horizon) and \"paths\", or "
                         "\"line\" with \"frame\", \"a\" and \"b\".");
    } catch (const InputError& e) {
        throw InputError("\"" + file + "\": " + e.what() + ".");
    }
}

}  // namespace

KnownLength knownLengthFromWords(const std::string& words, const Shot& shot) {
    std::istringstream in(words);
    std::vector<std::string> parts;
    for (std::string w; in >> w;) parts.push_back(w);
    KnownLength k;
    if (!parts.empty() && (parts.back().starts_with("±") || parts.back().starts_with("+-"))) {
        k.sigma = metresFrom(parts.back().substr(2));
        parts.pop_back();
    }
    if (parts.size() < 3)
        throw UsageError("--measure", "\"" + words + "\" is not \"KIND FEATURE … LENGTH\", as \"distance 12 57 3.2m\"");
    k.metres = metresFrom(parts.back());
    const std::string kind = parts.front();
    parts.erase(parts.begin());
    parts.pop_back();
    size_t least = 1, most = 1;
    if (kind == "distance") k.kind = LengthKind::distance, least = most = 2;
    else if (kind == "height") k.kind = LengthKind::uprightHeight, least = most = 2;
    else if (kind == "over-ground") k.kind = LengthKind::heightOverGround;
    else if (kind == "camera") k.kind = LengthKind::cameraHeight;
    else if (kind == "spacing") k.kind = LengthKind::spacing, least = 3, most = 1000;
    else throw UsageError("--measure", "\"" + kind + "\" is none of distance, height, over-ground, camera, spacing");
    if (parts.size() < least || parts.size() > most)
        throw UsageError("--measure", "a " + kind + " takes " +
                                          (kind == "camera"    ? std::string("one frame number")
                                           : kind == "spacing" ? "three or more features"
                                           : least == 2        ? "two features"
                                                               : "one feature"));
    if (k.kind == LengthKind::cameraHeight) {
        k.frame = std::atoi(parts[0].c_str());
        return k;
    }
    for (const std::string& p : parts) {
        try {
            k.paths.push_back(featureOfShot(featureWord(p), shot));
        } catch (const InputError& e) {
            throw UsageError("--measure", e.what());
        }
    }
    return k;
}

void addGroundOptions(CommandLine& c, GroundArguments& a) {
    c.option("--level", a.level,
             "What tells the upright: automatic, floor, walls, or a JSON list of evidence (docs/formats.md)");
    c.option("--lines", a.lines,
             "Of one picture: a JSON file with lines along the axes, a rectangle on the ground, the horizon or the "
             "camera's height (docs/formats.md)");
    c.option("--known-points", a.knownPoints,
             "Of one picture: a text file of lines \"name x y X Y Z\": px of the picture and position in m");
    c.option(
        "--measure", a.measures,
        "A known length, as \"distance A B 3.2m\", \"height FOOT TOP 2m\", \"over-ground TOP 1.5m\", \"camera FRAME "
        "1.5m\" or \"spacing A B C 0.3m\", with \"±0.01\" behind it; may be given several times. Features are names, "
        "ids, or FRAME:X,Y");
}

Shot withPhotoOptions(const Shot& shot, const GroundArguments& a) {
    if (a.lines.empty() && a.knownPoints.empty()) return shot;
    const std::vector<int> frames = shot.frames();
    if (frames.size() != 1)
        throw UsageError(a.lines.empty() ? "--known-points" : "--lines",
                         "these are for one picture: give a single frame with --range");
    Shot out = shot;
    if (!a.lines.empty()) {
        const json j = json::parse(readFile(a.lines), nullptr, false);
        try {
            if (!j.is_object()) throw InputError("it is no JSON object");
            out.photo = photoFrom(j);
        } catch (const json::exception&) {
            throw InputError("\"" + a.lines +
                             "\": it takes \"lines\" with \"axis\", \"a\" and \"b\", and may hold "
                             "\"rectangle\", \"horizon\", \"points\" and \"camera_height\".");
        } catch (const InputError& e) {
            throw InputError("\"" + a.lines + "\": " + e.what() + ".");
        }
    }
    if (!a.knownPoints.empty()) {
        std::istringstream file(readFile(a.knownPoints));
        std::string line;
        for (int number = 1; std::getline(file, line); ++number) {
            if (line.find_first_not_of(" \t\r") == std::string::npos || line[0] == '#') continue;
            std::istringstream in(line);
            PhotoSpot s;
            if (!(in >> s.name >> s.pixel.x() >> s.pixel.y() >> s.position.x() >> s.position.y() >> s.position.z()))
                throw InputError("\"" + a.knownPoints + "\", line " + std::to_string(number) +
                                 ": it takes a name, x and y in px, and X, Y, Z in m.");
            out.photo.spots.push_back(s);
        }
        if (out.photo.spots.size() < 3)
            throw InputError("\"" + a.knownPoints + "\" holds " + std::to_string(out.photo.spots.size()) +
                             " known points; a picture needs three, and four where the focal length is not known.");
    }
    out.photo.frame = frames.front();
    for (PhotoLine& l : out.photo.lines) l.drawn = true;
    return out;
}

Shot withGroundOptions(const Shot& shot, const GroundArguments& a) {
    if ((a.level.empty() || a.level == "automatic") && a.measures.empty()) return shot;
    GroundSpec spec = shot.groundSpec;
    if (a.level == "floor" || a.level == "walls") {
        spec.level.clear();
        if (shot.groundBasis)
            for (const Candidate& c : shot.groundBasis->candidates) {
                if (a.level == "floor" && c.kind == SurfaceKind::floor && spec.level.empty())
                    spec.level.push_back({LevelKind::floor, c.surface.paths, {}});
                if (a.level == "walls" && c.kind == SurfaceKind::wall && c.support > enoughSupport)
                    spec.level.push_back({LevelKind::wall, c.surface.paths, {}});
            }
        if (spec.level.empty())
            throw InputError(a.level == "floor"
                                 ? "The solve holds no floor to level by. Try --level walls, or leave it "
                                   "automatic."
                                 : "The solve holds no walls to level by. Try --level floor, or leave "
                                   "it automatic.");
    } else if (!a.level.empty() && a.level != "automatic") {
        spec.level = evidenceFromFile(a.level);
    }
    for (const std::string& m : a.measures) spec.lengths.push_back(knownLengthFromWords(m, shot));
    return withGround(shot, spec);
}

}  // namespace va
