// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/paths_file.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstdio>
#include <limits>
#include <map>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/json_text.h"
#include "base/number_text.h"
#include "base/text.h"
#include "exchange/csv.h"
#include "shot/feature_json.h"

namespace va {
namespace {

using nlohmann::json;

constexpr int pathsFileVersion = 1;
constexpr const char* csvHeader =
    "path,name,by_hand,set_aside,frame,x,y,quality,var_x,cov_xy,var_y,drift,origin,counts";

std::vector<Path> readCsv(const std::string& content, const std::string& name) {
    std::istringstream in(content);
    std::string line;
    std::map<std::string, size_t> column;
    std::map<int, Path> paths;
    int number = 0;
    const auto fail = [&](const std::string& what) {
        throw InputError(text("\"%s\", line %d: %s", name.c_str(), number, what.c_str()));
    };
    while (csv::readRecord(in, line, number)) {
        if (line.empty() || line == "\r" || line[0] == '#') continue;
        const std::vector<std::string> fields = csv::fieldsOf(line);
        if (column.empty()) {
            for (size_t i = 0; i < fields.size(); ++i) column[fields[i]] = i;
            for (const char* const needed : {"path", "frame", "x", "y"})
                if (!column.contains(needed))
                    fail(
                        text("the column \"%s\" is missing. The first line has to name the columns; path, frame, x and "
                             "y are needed.",
                             needed));
            continue;
        }
        const auto word = [&](const char* what) -> std::string {
            const auto at = column.find(what);
            return at != column.end() && at->second < fields.size() ? fields[at->second] : "";
        };
        const auto value = [&](const char* what, double missing) {
            const std::string t = word(what);
            if (t.empty() && missing == missing) return missing;
            double v = 0;
            const auto [end, code] = std::from_chars(t.data(), t.data() + t.size(), v);
            if (code != std::errc() || end != t.data() + t.size() || !std::isfinite(v))
                fail(text("\"%s\" in column %s is not a number.", t.c_str(), what));
            return v;
        };
        const double needed = std::nan("");
        const double id = value("path", needed), frame = value("frame", needed);
        if (id != std::floor(id) || frame != std::floor(frame) || std::fabs(id) > 1e9 || std::fabs(frame) > 1e9)
            fail(text("path and frame have to be whole numbers."));
        Path& path = paths[int(id)];
        path.id = int(id);
        if (!word("name").empty()) path.name = word("name");
        if (word("by_hand") == "1") path.origin = PathOrigin::byHand;
        if (word("set_aside") == "1") path.setAside = true, path.setAsideReason = text("set aside in the file");
        PathPoint p;
        p.frame = int(frame);
        p.x = value("x", needed);
        p.y = value("y", needed);
        p.quality = float(value("quality", 1));
        p.sxx = float(value("var_x", 0)), p.sxy = float(value("cov_xy", 0)), p.syy = float(value("var_y", 0));
        p.drift = float(value("drift", 0));
        for (size_t o = 0; o < std::size(pointOriginNames); ++o)
            if (word("origin") == pointOriginNames[o]) p.origin = PointOrigin(o);
        p.aside = word("counts") == "0";
        if (path.at(p.frame)) fail(text("path %d has frame %d twice.", path.id, p.frame));
        path.put(p);
    }
    if (column.empty()) {
        number = 1;
        fail(text("the file is empty. The first line has to name the columns: path, frame, x, y."));
    }
    std::vector<Path> out;
    for (auto& [id, path] : paths) {
        path.referenceFrame = path.points.front().frame;
        out.push_back(std::move(path));
    }
    return out;
}

std::vector<Path> readJson(const std::string& content, const std::string& name) {
    const json j = json::parse(content, nullptr, false);
    if (j.is_discarded() || !j.is_object() || j.value("format", "") != "vivid-anchor-paths")
        throw InputError(
            text("\"%s\" is not a file of paths: an object with \"format\": \"vivid-anchor-paths\" is needed. See the "
                 "page on formats.",
                 name.c_str()));
    std::vector<Path> out;
    try {
        if (j.at("version").get<int>() > pathsFileVersion)
            throw InputError(
                text("\"%s\" was written by a newer program (version %d).", name.c_str(), j.at("version").get<int>()));
        for (const auto& p : j.at("paths")) {
            Path path = pathFrom(p);
            if (path.points.empty()) continue;
            for (size_t i = 1; i < path.points.size(); ++i)
                if (path.points[i].frame == path.points[i - 1].frame)
                    throw InputError(text("path %d has frame %d twice", path.id, path.points[i].frame));
            out.push_back(std::move(path));
        }
    } catch (const json::exception& e) {
        throw InputError(
            text("\"%s\": path %zu has a part missing or of the wrong kind. Each needs id, frame, x and y.",
                 name.c_str(), out.size() + 1),
            e.what());
    }
    std::sort(out.begin(), out.end(), [](const Path& a, const Path& b) { return a.id < b.id; });
    return out;
}

}  // namespace

std::string pathsToCsv(const Shot& shot) {
    return formatted("# size_px: %d x %d\n", shot.plate.width, shot.plate.height) + pathsToCsv(*shot.paths);
}

std::string pathsToCsv(const std::vector<Path>& paths, int frameShift) {
    std::string out = std::string(csvHeader) + "\n";
    for (const Path& p : paths) {
        const std::string head = std::to_string(p.id) + "," + csv::field(p.name) + "," +
                                 (p.origin == PathOrigin::byHand ? "1" : "0") + "," + (p.setAside ? "1" : "0") + ",";
        for (const PathPoint& q : p.points)
            out += head + std::to_string(q.frame + frameShift) + "," + exactText(q.x) + "," + exactText(q.y) + "," +
                   exactText(q.quality) + "," + exactText(q.sxx) + "," + exactText(q.sxy) + "," + exactText(q.syy) +
                   "," + exactText(q.drift) + "," + pointOriginNames[size_t(q.origin)] + "," +
                   (q.counts() ? "1" : "0") + "\n";
    }
    return out;
}

std::string pathsToJson(const Shot& shot) {
    json j{
        {"format", "vivid-anchor-paths"},
        {"version", pathsFileVersion},
        {"image", {{"width", shot.plate.width}, {"height", shot.plate.height}, {"pixel_aspect", shot.pixelAspect()}}},
        {"frame_rate", {{"num", shot.rate().num}, {"den", shot.rate().den}}},
        {"range", {shot.range.first, shot.range.last}},
        {"paths", json::array()}};
    for (const Path& p : *shot.paths) j["paths"].push_back(pathJson(p));
    return dumpJson(j) + "\n";
}

std::vector<Path> readPathsFile(const std::filesystem::path& file) {
    const std::string content = readFile(file), ending = file.extension().string();
    if (ending == ".csv" || ending == ".CSV") return readCsv(content, file.string());
    if (ending == ".json" || ending == ".JSON") return readJson(content, file.string());
    throw InputError(text("\"%s\" ends in neither .csv nor .json: paths are read from those.", file.string().c_str()));
}

std::optional<std::pair<int, int>> sizeOfPathsFile(const std::filesystem::path& file) {
    const std::string content = readFile(file);
    int w = 0, h = 0;
    if (content.starts_with("{")) {
        const json j = json::parse(content, nullptr, false);
        if (j.is_object() && j.contains("image") && j["image"].is_object())
            w = j["image"].value("width", 0), h = j["image"].value("height", 0);
    } else if (const auto at = content.find("# size_px: "); at != std::string::npos) {
        (void)std::sscanf(content.c_str() + at, "# size_px: %d x %d", &w, &h);
    }
    return w > 0 && h > 0 ? std::optional(std::pair(w, h)) : std::nullopt;
}

namespace {

/// Numbered and sized as the plate.
void mapPaths(std::vector<Path>& paths, const Shot& shot, const PathsMapping& mapping) {
    int first = std::numeric_limits<int>::max();
    for (const Path& p : paths) first = std::min(first, p.points.front().frame);
    const int shift = mapping.firstFrame && !paths.empty() ? *mapping.firstFrame - first : 0;
    double sx = 1, sy = 1;
    if (mapping.sizePx)
        sx = double(shot.plate.width) / mapping.sizePx->first, sy = double(shot.plate.height) / mapping.sizePx->second;
    if (shift == 0 && sx == 1 && sy == 1) return;
    for (Path& p : paths) {
        p.referenceFrame += shift;
        for (PathPoint& q : p.points) {
            q.frame += shift;
            q.x = (q.x + 0.5) * sx - 0.5, q.y = (q.y + 0.5) * sy - 0.5;
            q.sxx = float(double(q.sxx) * sx * sx), q.sxy = float(double(q.sxy) * sx * sy),
            q.syy = float(double(q.syy) * sy * sy);
        }
    }
}

Shot withFreshPaths(const Shot& shot, std::vector<Path> fresh, const std::string& source, int* count);

}  // namespace

Shot withPathsFromFile(const Shot& shot, const std::filesystem::path& file, int* count, const PathsMapping& mapping) {
    const auto size = sizeOfPathsFile(file);
    if (size && !mapping.sizePx && (size->first != shot.plate.width || size->second != shot.plate.height))
        throw InputError(text(
            "The paths of \"%s\" were tracked in a picture of %d × %d px, the plate has %d × %d. Say that they are "
            "to be scaled, or take those of this plate.",
            file.string().c_str(), size->first, size->second, shot.plate.width, shot.plate.height));
    std::vector<Path> fresh = readPathsFile(file);
    mapPaths(fresh, shot, mapping);
    return withFreshPaths(shot, std::move(fresh), file.string(), count);
}

Shot withPathsFromText(const Shot& shot, const std::string& content, const std::string& source, int* count) {
    return withFreshPaths(shot, readCsv(content, source), source, count);
}

namespace {

Shot withFreshPaths(const Shot& shot, std::vector<Path> fresh, const std::string& source, int* count) {
    for (const Path& p : fresh)
        if (p.points.back().frame < shot.plate.frames.first || p.points.front().frame > shot.plate.frames.last)
            throw InputError(
                text("Path %d of \"%s\" has frames %d–%d, but the plate has %d–%d. Number the frames as the plate's.",
                     p.id, source.c_str(), p.points.front().frame, p.points.back().frame, shot.plate.frames.first,
                     shot.plate.frames.last));
    Shot out = shot;
    auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
    std::set<int> taken;
    int next = 1;
    for (const Path& p : *paths) taken.insert(p.id), next = std::max(next, p.id + 1);
    for (Path& p : fresh) {
        if (!taken.insert(p.id).second) {
            while (!taken.insert(next).second) ++next;
            p.id = next;
        }
        paths->push_back(std::move(p));
    }
    if (count) *count = int(fresh.size());
    std::sort(paths->begin(), paths->end(), [](const Path& a, const Path& b) { return a.id < b.id; });
    out.paths = paths;
    return out;
}

}  // namespace

std::string patchToCsv(const FlatPatch& patch) {
    std::string out = "frame,x1,y1,x2,y2,x3,y3,x4,y4,quality,visible\n";
    for (const PatchFrame& f : patch.frames) {
        const auto c = patch.cornersAt(f.frame);
        if (!c) continue;
        out += std::to_string(f.frame);
        for (const auto& p : *c) out += "," + exactText(p.x()) + "," + exactText(p.y());
        out += "," + exactText(f.quality) + "," + exactText(f.visible) + "\n";
    }
    return out;
}

std::string patchToJson(const FlatPatch& patch, const Shot& shot) {
    json j{
        {"format", "vivid-anchor-patch"},
        {"version", 1},
        {"name", patch.name},
        {"image", {{"width", shot.plate.width}, {"height", shot.plate.height}, {"pixel_aspect", shot.pixelAspect()}}},
        {"frame_rate", {{"num", shot.rate().num}, {"den", shot.rate().den}}},
        {"reference", patch.referenceFrame},
        {"outline", json::array()},
        {"frames", json::array()}};
    for (const auto& o : patch.outline) j["outline"].push_back({o.x(), o.y()});
    for (const PatchFrame& f : patch.frames) {
        const auto c = patch.cornersAt(f.frame);
        const auto map = patch.mapAt(f.frame);
        if (!c || !map) continue;
        json corners = json::array(), m = json::array();
        for (const auto& p : *c) corners.push_back({p.x(), p.y()});
        for (int r = 0; r < 3; ++r) m.push_back({(*map)(r, 0), (*map)(r, 1), (*map)(r, 2)});
        j["frames"].push_back(
            {{"frame", f.frame}, {"corners", corners}, {"map", m}, {"quality", f.quality}, {"visible", f.visible}});
    }
    return dumpJson(j, 1) + "\n";
}

}  // namespace va
