// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <map>
#include <sstream>

#include "base/error.h"
#include "base/number_text.h"
#include "base/text.h"
#include "exchange/csv.h"
#include "exchange/euler.h"
#include "exchange/export_body.h"
#include "exchange/formats.h"
#include "exchange/paths_file.h"
#include "shot/solve_json.h"

namespace va {
namespace {

std::string numbers(std::initializer_list<double> values) {
    std::string out;
    for (const double v : values) out += (out.empty() ? "" : ",") + exactText(v);
    return out;
}

std::string placeFields(const Eigen::Vector3d& p, const Eigen::Quaterniond& q, const std::string& order) {
    const Eigen::Vector3d turn = eulerFrom(q, order) / (M_PI / 180);
    return numbers({p.x(), p.y(), p.z(), q.w(), q.x(), q.y(), q.z(), turn.x(), turn.y(), turn.z()});
}

/// Facts about the scene, a line each that begins with "# ".
std::string facts(const SceneExport& s) {
    std::string out;
    const auto say = [&](const char* key, const std::string& value) { out += formatted("# %s: ", key) + value + "\n"; };
    say("size_px", std::to_string(s.width) + " x " + std::to_string(s.height));
    say("pixel_aspect", exactText(s.pixelAspect));
    say("rate", std::to_string(s.rate.num) + "/" + std::to_string(s.rate.den));
    say("up_axis", s.zUp ? "z" : "y");
    say("metres_per_unit", s.metric ? exactText(s.metresPerUnit) : "unknown");
    say("rotation_order", s.eulerOrder + " (fixed axes)");
    return out;
}

std::string cameraTable(const SceneExport& s) {
    std::string out = "# Vivid Anchor camera\n" + facts(s);
    out += "# principal_point_px: " + exactText(s.principalPoint.x()) + ", " + exactText(s.principalPoint.y()) + "\n";
    out += formatted("# lens_model: %s\n", lensKindName(s.lens.kind()));
    for (int i = 0; i < s.lens.count(); ++i)
        out += formatted("# lens_%s: ", lensValueNames(s.lens.kind())[size_t(i)]) + exactText(s.lens.value(i)) + "\n";
    out +=
        "frame,x,y,z,qw,qx,qy,qz,rot_x_deg,rot_y_deg,rot_z_deg,focal_mm,focal_px,aperture_width_mm,aperture_height_"
        "mm\n";
    for (const auto& f : s.frames)
        if (f.solved)
            out += std::to_string(f.frame) + "," + placeFields(f.pose.position, f.pose.worldFromCamera, s.eulerOrder) +
                   "," + numbers({s.focalMm(f), f.focalPx, s.sensorWidthMm, backHeightMm(s)}) + "\n";
    return out;
}

std::string thingsTable(const SceneExport& s) {
    std::string out = "# Vivid Anchor things\n" + facts(s) +
                      "name,kind,parent,frame,x,y,z,qw,qx,qy,qz,rot_x_deg,rot_y_deg,rot_z_deg,scale,visible\n";
    const int first = s.frames.empty() ? 0 : s.frames.front().frame;
    for (const auto& t : s.things) {
        auto samples = t.samples;
        if (samples.empty()) samples.push_back({first, {t.scale, t.rotation, t.position}, t.visible});
        for (const auto& at : samples)
            out += csv::field(t.name) + "," + kindWord(t.kind) + "," + csv::field(t.parentName) + "," +
                   std::to_string(at.frame) + "," + placeFields(at.place.translation, at.place.rotation, s.eulerOrder) +
                   "," + exactText(at.place.scale) + (at.visible ? ",1\n" : ",0\n");
    }
    return out;
}

std::string cornersTable(const SceneExport& s) {
    std::string out = "patch,frame,x1,y1,x2,y2,x3,y3,x4,y4\n";
    for (const FlatPatch& p : s.patches)
        for (const PatchFrame& f : p.frames) {
            const auto c = p.cornersAt(f.frame);
            if (!c) continue;
            out += csv::field(p.name) + "," + std::to_string(f.frame + s.frameShift);
            for (const Eigen::Vector2d& v : *c) out += "," + exactText(v.x()) + "," + exactText(v.y());
            out += "\n";
        }
    return out;
}

/// Frames that someone has to know about, a line each.
std::string framesList(const SceneExport& s) {
    std::string out;
    for (const auto& f : s.frames)
        if (!f.solved) out += std::to_string(f.frame) + " no camera\n";
        else if (f.origin != PoseOrigin::solved)
            out += std::to_string(f.frame) + " " + poseOriginNames[int(f.origin)] + "\n";
    return out.empty() ? "all frames solved, none edited\n" : out;
}

OutFiles writeTables(const SceneExport& s) {
    if (std::none_of(s.frames.begin(), s.frames.end(), [](const auto& f) { return f.solved; }))
        throw Error(text("There is no frame to export. Solve the shot first."));
    OutFiles out{{"", cameraTable(s), ""}};
    if (!s.things.empty()) out.push_back({"{stem}-things.csv", thingsTable(s), ""});
    if (s.paths && !s.paths->empty()) out.push_back({"{stem}-paths.csv", pathsToCsv(*s.paths, s.frameShift), ""});
    if (!s.patches.empty()) out.push_back({"{stem}-corners.csv", cornersTable(s), ""});
    out.push_back({"{stem}-frames.txt", framesList(s), ""});
    return out;
}

/// What a line "# key: value" says.
using Facts = std::map<std::string, std::string>;

std::optional<double> factNumber(const Facts& facts, const char* key) {
    const auto found = facts.find(key);
    return found == facts.end() ? std::nullopt : numberFrom(found->second);
}

void takeFacts(const Facts& facts, ForeignScene& out, ForeignScene::Camera& camera) {
    if (const auto at = facts.find("size_px"); at != facts.end()) {
        const auto x = at->second.find('x');
        const auto w = numberFrom(at->second.substr(0, x));
        const auto h = x == std::string::npos ? std::nullopt : numberFrom(at->second.substr(x + 1));
        if (w && h && *w >= 1 && *h >= 1 && *w < 1e6 && *h < 1e6) out.width = int(*w), out.height = int(*h);
    }
    out.pixelAspect = factNumber(facts, "pixel_aspect");
    if (const auto at = facts.find("rate"); at != facts.end()) out.rate = parseRational(at->second);
    if (const auto at = facts.find("up_axis"); at != facts.end())
        out.axisSaid = true, out.zUp = at->second == "z" || at->second == "Z";
    if (const auto unit = factNumber(facts, "metres_per_unit"); unit && *unit > 0) out.metresPerUnit = unit;
    if (const auto at = facts.find("lens_model"); at != facts.end())
        camera.lens = lensNamed(
            at->second, [&](const char* key) { return factNumber(facts, ("lens_" + std::string(key)).c_str()); });
}

ForeignScene readTable(const std::string& content, const std::string& source) {
    ForeignScene out;
    out.format = "csv";
    out.framesSaid = true;
    ForeignScene::Camera camera;
    camera.name = "Camera";
    std::istringstream in(content);
    std::string line;
    int number = 0;
    Facts facts;
    std::map<std::string, size_t> column;
    const auto fail = [&](const std::string& what) {
        throw InputError(text("\"%s\", line %d: %s", source.c_str(), number, what.c_str()));
    };
    std::string order = "XYZ";
    while (csv::readRecord(in, line, number)) {
        if (!line.empty() && line.back() == '\r') line.pop_back();
        if (line.empty()) continue;
        if (line[0] == '#') {
            const auto colon = line.find(": ");
            if (colon != std::string::npos && colon > 2) facts[line.substr(2, colon - 2)] = line.substr(colon + 2);
            continue;
        }
        const std::vector<std::string> fields = csv::fieldsOf(line);
        if (column.empty()) {
            for (size_t i = 0; i < fields.size(); ++i) column[lowerCase(fields[i])] = i;
            for (const char* needed : {"frame", "x", "y", "z"})
                if (!column.contains(needed))
                    fail(
                        text("the column \"%s\" is missing. The first line has to name the columns: frame, x, y, z, a "
                             "rotation "
                             "(qw, qx, qy, qz or rot_x_deg, rot_y_deg, rot_z_deg) and focal_mm or focal_px.",
                             needed));
            if (const auto at = facts.find("rotation_order"); at != facts.end() && at->second.size() >= 3) {
                order = at->second.substr(0, 3);
                if (!isEulerOrder(order))
                    fail(text("\"%s\" is no order of turns. Take XYZ, XZY, YXZ, YZX, ZXY or ZYX.", order.c_str()));
            }
            continue;
        }
        const auto value = [&](const char* name) -> std::optional<double> {
            const auto c = column.find(name);
            if (c == column.end()) return std::nullopt;
            if (c->second >= fields.size()) fail(text("it has too few fields. The file may be cut off."));
            const auto v = numberFrom(fields[c->second]);
            if (!v) fail(text("\"%s\" in the column \"%s\" is no number.", fields[c->second].c_str(), name));
            return v;
        };
        ForeignScene::Frame f;
        f.frame = *value("frame");
        if (std::fabs(f.frame) > 1e9) fail(text("the frame number is out of all range."));
        f.pose.position = {*value("x"), *value("y"), *value("z")};
        const auto w = value("qw"), x = value("qx"), y = value("qy"), z = value("qz");
        const auto rx = value("rot_x_deg"), ry = value("rot_y_deg"), rz = value("rot_z_deg");
        if (w && x && y && z) {
            const Eigen::Quaterniond q(*w, *x, *y, *z);
            if (!(q.norm() > 1e-6)) fail(text("its quaternion is zero."));
            f.pose.worldFromCamera = q.normalized();
        } else if (rx && ry && rz) {
            f.pose.worldFromCamera = rotationFromEuler(Eigen::Vector3d(*rx, *ry, *rz) * (M_PI / 180), order);
        } else {
            fail(text("there is no rotation: qw, qx, qy, qz or rot_x_deg, rot_y_deg, rot_z_deg."));
        }
        const auto wide = value("aperture_width_mm"), high = value("aperture_height_mm");
        if (wide) camera.backWidthMm = *wide;
        if (high) camera.backHeightMm = *high;
        if (const auto mm = value("focal_mm")) {
            f.focalMm = *mm;
        } else if (const auto px = value("focal_px")) {
            // Without a film back px say it all, on one of 36 mm.
            ForeignScene::Camera scratch;
            takeFacts(facts, out, scratch);
            if (!out.width)
                fail(text("a focal length in px needs the picture's size: a line \"# size_px: 1920 x 1080\" on top."));
            if (!(camera.backWidthMm > 0)) camera.backWidthMm = guessedBackMm, camera.angleOnly = true;
            f.focalMm = *px / out.pixelAspect.value_or(1) * camera.backWidthMm / *out.width;
        } else {
            fail(text("there is no focal length: focal_mm or focal_px."));
        }
        if (!(f.focalMm > 0)) fail(text("the focal length has to be above zero."));
        camera.frames.push_back(f);
    }
    if (camera.frames.empty())
        throw InputError(text("\"%s\" holds no frame of a camera. Take a table with a line a frame.", source.c_str()));
    std::stable_sort(camera.frames.begin(), camera.frames.end(),
                     [](const auto& a, const auto& b) { return a.frame < b.frame; });
    takeFacts(facts, out, camera);
    // Where the axis lies, as an offset of the back's middle, right and up.
    if (const auto at = facts.find("principal_point_px");
        at != facts.end() && out.width && out.height && camera.backWidthMm > 0) {
        const auto comma = at->second.find(',');
        const auto x = numberFrom(at->second.substr(0, comma));
        const auto y = comma == std::string::npos ? std::nullopt : numberFrom(at->second.substr(comma + 1));
        const double high = camera.backHeightMm > 0
                                ? camera.backHeightMm
                                : camera.backWidthMm * *out.height / (*out.width * out.pixelAspect.value_or(1));
        if (x && y)
            camera.offsetMm = {-(*x - (*out.width - 1) / 2.0) * camera.backWidthMm / *out.width,
                               (*y - (*out.height - 1) / 2.0) * high / *out.height};
    }
    out.first = int(std::lround(camera.frames.front().frame));
    out.last = int(std::lround(camera.frames.back().frame));
    out.cameras.push_back(std::move(camera));
    return out;
}

/// Tables beside the camera's, read line by line again.
std::string tableWrong(const SceneExport& s, const std::string& name, const std::string& content) {
    std::istringstream in(content);
    std::string line;
    int number = 0;
    std::vector<std::vector<std::string>> rows;
    while (csv::readRecord(in, line, number))
        if (!line.empty() && line[0] != '#') rows.push_back(csv::fieldsOf(line));
    if (rows.empty()) return text("it is empty");
    rows.erase(rows.begin());
    if (name.ends_with("-things.csv")) {
        size_t at = 0;
        for (const auto& t : s.things)
            for (size_t k = 0; k < std::max<size_t>(1, t.samples.size()); ++k, ++at) {
                if (at >= rows.size() || rows[at].size() != 16 || rows[at][0] != t.name)
                    return text("a thing is missing");
                const Eigen::Vector3d place = t.samples.empty() ? t.position : t.samples[k].place.translation;
                for (int c = 0; c < 3; ++c)
                    if (numberFrom(rows[at][size_t(4 + c)]) != place[c])
                        return text("\"%s\" stands elsewhere", t.name.c_str());
            }
    } else if (name.ends_with("-paths.csv")) {
        size_t at = 0;
        for (const Path& p : *s.paths)
            for (const PathPoint& q : p.points) {
                if (at >= rows.size() || rows[at].size() != 14) return text("a path is not whole");
                if (numberFrom(rows[at][4]) != q.frame + s.frameShift || numberFrom(rows[at][5]) != q.x ||
                    numberFrom(rows[at][6]) != q.y)
                    return text("path %d is not the same", p.id);
                ++at;
            }
    } else if (name.ends_with("-corners.csv")) {
        size_t expected = 0;
        for (const FlatPatch& p : s.patches)
            for (const PatchFrame& f : p.frames) expected += p.cornersAt(f.frame).has_value();
        if (rows.size() != expected) return text("corners are missing");
    }
    return {};
}

}  // namespace

const ExportFormat cameraCsvFormat{
    .word = "csv",
    .label = "Tables: camera, things, paths, corners, CSV",
    .fileName = "camera.csv",
    .write = writeTables,
    .read = readTable,
    .lacks = [](const SceneExport& s) -> std::string {
        std::string out = s.points.empty() ? "" : text("the cloud");
        if (!s.things.empty()) out += (out.empty() ? "" : ", ") + text("the shapes of things");
        return out;
    },
    .companionWrong = tableWrong,
    .holdsPoints = false,
    .holdsThings = false,
};

}  // namespace va
