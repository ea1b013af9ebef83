// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/ply.h"

#include <algorithm>
#include <sstream>

#include "base/error.h"
#include "base/number_text.h"
#include "base/text.h"
#include "exchange/export_body.h"

namespace va {

namespace {

std::string headOf(const SceneExport& s, const char* what) {
    return formatted("ply\nformat ascii 1.0\ncomment %s, %s up, units: ", what, s.zUp ? "Z" : "Y") +
           (s.metric ? exactText(s.metresPerUnit) + " m" : std::string("scene")) + "\n";
}
std::string placeText(const Eigen::Vector3d& v) {
    return exactText(v.x()) + " " + exactText(v.y()) + " " + exactText(v.z());
}

/// Faces of all things, planes and meshes as triangles with a colour, in the world as it stands in the first frame.
/// Empty where nothing has a face.
std::string writeMeshes(const SceneExport& s) {
    std::string vertices, faces;
    size_t vertexCount = 0, faceCount = 0;
    for (const ExportBody& b : bodiesOf(s)) {
        if (b.shape.faceCount() == 0) continue;
        for (const auto& v : b.shape.vertices) vertices += placeText(b.samples.front().place.point(v)) + "\n";
        for (size_t m = 0; m < std::max<size_t>(1, b.shape.materials.size()); ++m) {
            const Eigen::Vector4d c = 255 * colourOf(b, m).cwiseMax(0).cwiseMin(1);
            for (const auto& t : trianglesOf(b.shape, m)) {
                faces += "3";
                for (const int corner : t)
                    faces += " " + std::to_string(vertexCount + size_t(b.shape.corners[size_t(corner)]));
                faces += formatted(" %ld %ld %ld %ld\n", std::lround(c.x()), std::lround(c.y()), std::lround(c.z()),
                                   std::lround(c.w()));
                ++faceCount;
            }
        }
        vertexCount += b.shape.vertices.size();
    }
    if (faceCount == 0) return {};
    return headOf(s, "things, first frame") +
           formatted("element vertex %zu\nproperty double x\nproperty double y\nproperty double z\nelement face %zu\n",
                     vertexCount, faceCount) +
           // As PLY has it; no words for people.
           formatted("property list uchar %s vertex_indices\n", "int") +
           "property uchar red\nproperty uchar green\nproperty uchar blue\nproperty uchar alpha\nend_header\n" +
           vertices + faces;
}

/// The file of meshes as read back, number by number.
std::string meshesWrong(const SceneExport& s, const std::string& name, const std::string& content) {
    if (!name.ends_with("-things.ply")) return {};
    std::istringstream in(content);
    std::string line;
    while (std::getline(in, line) && line != "end_header") {}
    for (const ExportBody& b : bodiesOf(s)) {
        if (b.shape.faceCount() == 0) continue;
        for (const auto& v : b.shape.vertices) {
            Eigen::Vector3d read;
            in >> read.x() >> read.y() >> read.z();
            if (!in || read != b.samples.front().place.point(v)) return text("\"%s\" stands elsewhere", b.name.c_str());
        }
    }
    in >> std::ws;
    size_t faces = 0, expected = 0;
    for (const ExportBody& b : bodiesOf(s))
        for (size_t m = 0; m < std::max<size_t>(1, b.shape.materials.size()); ++m)
            expected += trianglesOf(b.shape, m).size();
    while (std::getline(in, line)) faces += line.starts_with("3 ");
    return faces == expected ? "" : text("faces are missing");
}

}  // namespace

std::string writePly(const SceneExport& s) {
    std::string out = headOf(s, "solved features") + "element vertex " + std::to_string(s.points.size()) +
                      "\nproperty double x\nproperty double y\nproperty double z\nproperty int id\nproperty float "
                      "rms_px\nend_header\n";
    for (const auto& p : s.points)
        out += placeText(p.position) + " " + std::to_string(p.id) + " " + exactText(double(float(p.rmsPx))) + "\n";
    return out;
}

std::vector<SceneExport::Point> readPly(const std::string& content, const std::string& source) {
    std::istringstream in(content);
    std::string word;
    size_t count = 0;
    bool header = false;
    while (std::getline(in, word)) {
        if (word.rfind("element vertex ", 0) == 0) count = std::stoul(word.substr(15));
        if (word == "end_header") {
            header = true;
            break;
        }
    }
    std::vector<SceneExport::Point> out;
    SceneExport::Point p;
    while (header && out.size() < count && in >> p.position.x() >> p.position.y() >> p.position.z() >> p.id >> p.rmsPx)
        out.push_back(p);
    if (!header || out.size() != count)
        throw InputError(text("\"%s\" is not a whole point cloud file. Export it again.", source.c_str()));
    return out;
}

const ExportFormat plyFormat{
    .word = "ply",
    .label = "Cloud and meshes, PLY",
    .fileName = "cloud.ply",
    .write =
        [](const SceneExport& s) {
            OutFiles out{{"", writePly(s), ""}};
            if (std::string meshes = writeMeshes(s); !meshes.empty()) out.push_back({"{stem}-things.ply", meshes, ""});
            return out;
        },
    .read =
        [](const std::string& content, const std::string& source) {
            ForeignScene out;
            out.format = "ply";
            for (const auto& p : readPly(content, source)) out.points.push_back({p.id, p.position});
            return out;
        },
    .lacks =
        [](const SceneExport& s) {
            std::string out = text("the camera");
            if (std::any_of(s.things.begin(), s.things.end(), [](const auto& t) { return !t.solid(); }))
                out += ", " + text("things without faces");
            if (std::any_of(s.things.begin(), s.things.end(), [](const auto& t) { return !t.samples.empty(); }))
                out += ", " + text("the motion of things");
            if (!s.movers.empty()) out += ", " + text("movers");
            return out;
        },
    .companionWrong = meshesWrong,
    .holdsCamera = false,
    .holdsThings = false,
    .byDefault = true,
};

}  // namespace va
