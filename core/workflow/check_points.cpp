// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/check_points.h"

#include <algorithm>
#include <cmath>
#include <sstream>

#include "base/error.h"
#include "base/text.h"
#include "workflow/match_shot.h"
#include "workflow/stale.h"

namespace va {
namespace {

using Kind = PointTie::Kind;

int freeId(const Shot& shot) {
    int id = 1;
    for (const CheckPoint& c : shot.checkPoints) id = std::max(id, c.id + 1);
    return id;
}

/// A number with the dot, whatever the machine's language; nothing when it is none.
std::optional<double> numberOf(const std::string& word) {
    std::istringstream in(word);
    in.imbue(std::locale::classic());
    double v = 0;
    in >> v;
    if (!in || in.peek() != std::istringstream::traits_type::eof() || !std::isfinite(v)) return std::nullopt;
    return v;
}

const char* wordFor(Kind kind) {
    switch (kind) {
        case Kind::position: return "place";
        case Kind::distance: return "distance";
        case Kind::flat: return "flat group";
        case Kind::level: return "height";
        case Kind::rightAngle: return "right angle";
    }
    return "";
}

}  // namespace

std::vector<CheckPoint> readCheckPoints(const std::string& content, const std::string& source) {
    std::vector<CheckPoint> out;
    std::istringstream lines(content);
    std::string line;
    for (int number = 1; std::getline(lines, line); ++number) {
        for (char& c : line)
            if (c == ',' || c == ';' || c == '\t' || c == '\r') c = ' ';
        std::istringstream in(line);
        std::vector<std::string> words;
        for (std::string w; in >> w;) words.push_back(w);
        if (words.empty() || words.front()[0] == '#') continue;
        std::optional<double> x[3];
        if (words.size() >= 4)
            for (size_t i = 0; i < 3; ++i) x[i] = numberOf(words[i + 1]);
        if (words.size() != 4 || !x[0] || !x[1] || !x[2]) {
            // Titles over the columns are no point.
            if (out.empty() && number == 1 && words.size() == 4 && !x[0] && !x[1] && !x[2]) continue;
            throw InputError(
                text("\"%s\", line %d: a point is a name and three numbers, \"name x y z\". Names hold no blanks.",
                     source.c_str(), number));
        }
        CheckPoint c;
        c.name = words[0];
        c.measure.kind = Kind::position;
        c.measure.target = {*x[0], *x[1], *x[2]};
        c.measure.tolerance = 0.01;
        for (const CheckPoint& other : out)
            if (other.name == c.name)
                throw InputError(
                    text("\"%s\", line %d: the name \"%s\" is there twice. Give each point a name of its own.",
                         source.c_str(), number, c.name.c_str()));
        out.push_back(std::move(c));
    }
    if (out.empty()) throw InputError(text("\"%s\" holds no point. A line is \"name x y z\".", source.c_str()));
    return out;
}

Shot withCheckPoints(const Shot& shot, std::vector<CheckPoint> points) {
    Shot out = shot;
    for (CheckPoint& c : points) {
        for (const Path& p : *shot.paths)
            if (!p.name.empty() && p.name == c.name && c.measure.paths.empty()) c.measure.paths = {p.id};
        const auto had = std::find_if(out.checkPoints.begin(), out.checkPoints.end(), [&](const CheckPoint& o) {
            return o.name == c.name && o.measure.kind == c.measure.kind;
        });
        if (had != out.checkPoints.end()) {
            c.id = had->id;
            if (c.measure.paths.empty()) c.measure.paths = had->measure.paths;
            *had = std::move(c);
            continue;
        }
        c.id = freeId(out);
        out.checkPoints.push_back(std::move(c));
    }
    return out;
}

Shot withCheckPoint(const Shot& shot, Kind kind, const std::vector<int>& paths) {
    const size_t wanted = kind == Kind::distance ? 2 : kind == Kind::rightAngle ? 3 : kind == Kind::flat ? 4 : 1;
    if (kind == Kind::flat ? paths.size() < wanted : paths.size() != wanted)
        throw InputError(text("Select %s%zu feature%s for a %s.", kind == Kind::flat ? "at least " : "", wanted,
                              wanted == 1 ? "" : "s", wordFor(kind)));
    CheckPoint c;
    c.id = freeId(shot);
    c.name = text("%s %d", wordFor(kind), c.id);
    c.measure.kind = kind;
    c.measure.paths = paths;
    c.measure.tolerance = kind == Kind::rightAngle ? 0.5 : 0.01;
    if (kind == Kind::rightAngle) {
        // The corner is the one at which the other two are seen nearest to square.
        double best = 1e9;
        for (size_t i = 0; i < 3; ++i) {
            const auto at = shot.worldPointOfPath(paths[i]), a = shot.worldPointOfPath(paths[(i + 1) % 3]),
                       b = shot.worldPointOfPath(paths[(i + 2) % 3]);
            if (!at || !a || !b) continue;
            const double off = std::fabs((*a - *at).normalized().dot((*b - *at).normalized()));
            if (off < best) best = off, c.measure.paths = {paths[(i + 1) % 3], paths[i], paths[(i + 2) % 3]};
        }
    }
    // What the solve says now is where the artist starts from.
    if (kind == Kind::distance) {
        const auto a = shot.worldPointOfPath(paths[0]), b = shot.worldPointOfPath(paths[1]);
        if (a && b && shot.ground->metric) c.measure.length = (*a - *b).norm();
    }
    if (kind == Kind::position || kind == Kind::level)
        if (const auto at = shot.worldPointOfPath(paths[0])) {
            if (kind == Kind::position) c.measure.target = *at;
            else c.measure.target = {0, at->y(), 0};
        }
    Shot out = shot;
    out.checkPoints.push_back(std::move(c));
    return out;
}

const MeasureReport* reportOf(const Shot& shot, int id) {
    if (stalenessOf(shot).solve) return nullptr;
    const auto used = usedCheckPoints(shot);
    for (size_t i = 0; i < used.size() && i < shot.solve->reports.size(); ++i)
        if (used[i]->id == id) return &shot.solve->reports[i];
    return nullptr;
}

std::string checkPointLine(const CheckPoint& c, const MeasureReport* report) {
    if (!c.on) return text("%s: switched off.", c.name.c_str());
    if (c.measure.paths.empty()) return text("%s: no feature is assigned to it yet.", c.name.c_str());
    if (!report) return text("%s: not in the solve yet.", c.name.c_str());
    std::string out = c.name + ": ";
    if (!report->why.empty()) return out + report->why;
    const char* unit = c.measure.kind == Kind::rightAngle ? "°" : " m";
    out += text("%.4f%s off", report->off, unit);
    if (c.measure.tolerance > 0)
        out += text(", %.1f times its tolerance of %.4g%s", report->inTolerances, c.measure.tolerance, unit);
    else out += ", held hard";
    return out + ".";
}

}  // namespace va
