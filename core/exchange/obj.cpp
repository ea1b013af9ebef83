// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <filesystem>
#include <sstream>

#include "base/error.h"
#include "base/number_text.h"
#include "base/text.h"
#include "exchange/export_body.h"
#include "exchange/formats.h"

namespace va {
namespace {

std::string oneLine(const std::string& name) {
    std::string out;
    for (const char c : name) out += static_cast<unsigned char>(c) < 32 || c == ' ' ? '_' : c;
    return out.empty() ? "thing" : out;
}

/// Wavefront's text format, as the trade reads it: `v`, `vt`, `f`, `p`, `o`, `usemtl`. All in the world, as it stands
/// in the first frame.
OutFiles writeObj(const SceneExport& s) {
    std::string out = "# Vivid Anchor: cloud and things, " + std::string(s.zUp ? "Z" : "Y") + " up, " +
                      (s.metric ? exactText(s.metresPerUnit) + " m a unit" : "scene units") + "\nmtllib {stem}.mtl\n";
    std::string materials = "# Vivid Anchor\n";
    OutFiles files{{"", "", ""}, {"{stem}.mtl", "", ""}};
    const auto vertex = [&](const Eigen::Vector3d& v) {
        out += "v " + exactText(v.x()) + " " + exactText(v.y()) + " " + exactText(v.z()) + "\n";
    };
    size_t base = 1, texture = 1;
    if (!s.points.empty()) {
        out += "o Cloud\n";
        for (const auto& p : s.points) vertex(p.position);
        for (size_t i = 0; i < s.points.size(); i += 32) {
            out += "p";
            for (size_t k = i; k < std::min(i + 32, s.points.size()); ++k) out += " " + std::to_string(base + k);
            out += "\n";
        }
        base += s.points.size();
    }
    const auto bodies = bodiesOf(s);
    for (size_t b = 0; b < bodies.size(); ++b) {
        const ExportBody& body = bodies[b];
        if (body.shape.vertices.empty()) continue;
        const Similarity& place = body.samples.front().place;
        out += "o " + oneLine(body.name) + "\n";
        for (const auto& v : body.shape.vertices) vertex(place.point(v));
        for (const auto& uv : body.shape.uv) out += "vt " + exactText(uv.x()) + " " + exactText(uv.y()) + "\n";
        if (body.shape.faceCount() == 0) {
            out += "p";
            for (size_t i = 0; i < body.shape.vertices.size(); ++i) out += " " + std::to_string(base + i);
            out += "\n";
        }
        size_t at = 0;
        int now = -1;
        for (size_t f = 0; f < body.shape.faceCount(); ++f) {
            const int m = body.shape.material.empty() ? 0 : body.shape.material[f];
            if (m != now) out += formatted("usemtl m%zu_%d\n", b, now = m);
            out += "f";
            for (int k = 0; k < body.shape.counts[f]; ++k, ++at) {
                out += " " + std::to_string(base + size_t(body.shape.corners[at]));
                if (!body.shape.uv.empty()) out += "/" + std::to_string(texture + at);
            }
            out += "\n";
        }
        for (size_t m = 0; m < std::max<size_t>(1, body.shape.materials.size()); ++m) {
            const Eigen::Vector4d c = colourOf(body, m);
            materials += formatted("newmtl m%zu_%zu\nKd ", b, m) + exactText(c.x()) + " " + exactText(c.y()) + " " +
                         exactText(c.z()) + "\nd " + exactText(c.w()) + "\n";
            if (m < body.shape.materials.size() && !body.shape.materials[m].picture.empty()) {
                const OutFile picture = pictureFile(body.shape.materials[m].picture, files);
                if (!picture.name.empty()) materials += "map_Kd " + picture.name + "\n";
            }
        }
        base += body.shape.vertices.size(), texture += body.shape.uv.size();
    }
    files[0].content = std::move(out), files[1].content = std::move(materials);
    return files;
}

ForeignScene readObj(const std::string& content, const std::string& source) {
    ForeignScene out;
    out.format = "obj";
    std::istringstream in(content);
    std::string line;
    int number = 0;
    std::vector<Eigen::Vector3d> all;
    size_t from = 0;
    bool open = false;
    ForeignScene::Body body;
    const auto fail = [&] {
        throw InputError(text("\"%s\", line %d: this is no whole OBJ file. Write it again.", source.c_str(), number));
    };
    const auto close = [&] {
        if (open && body.name == "Cloud")
            for (size_t i = from; i < all.size(); ++i) out.points.push_back({int(out.points.size()) + 1, all[i]});
        else if (open) {
            body.vertices.assign(all.begin() + long(from), all.end());
            body.samples.push_back({});
            out.bodies.push_back(body);
        }
        body = {};
        from = all.size();
    };
    while (std::getline(in, line)) {
        ++number;
        std::istringstream words(line);
        std::string key;
        words >> key;
        if (key == "o") {
            close();
            words >> body.name;
            open = true;
        } else if (key == "v") {
            std::string x, y, z;
            words >> x >> y >> z;
            const auto a = numberFrom(x), b = numberFrom(y), c = numberFrom(z);
            if (!a || !b || !c) fail();
            all.emplace_back(a.value_or(0), b.value_or(0), c.value_or(0));
            open = true;
        } else if (key == "f") {
            std::vector<int> corners;
            for (std::string word; words >> word;) {
                const auto v = numberFrom(word.substr(0, word.find('/')));
                const double index = !v ? 0 : *v < 0 ? double(all.size()) + *v + 1 : *v;
                if (!(index >= double(from) + 1) || index > double(all.size())) fail();
                corners.push_back(int(index) - 1 - int(from));
            }
            for (size_t i = 2; i < corners.size(); ++i)
                body.triangles.push_back({corners[0], corners[i - 1], corners[i]});
        }
    }
    close();
    return out;
}

}  // namespace

OutFile pictureFile(const std::string& picture, OutFiles& files) {
    std::error_code code;
    if (!std::filesystem::is_regular_file(picture, code)) return {};
    for (const OutFile& f : files)
        if (f.copyOf == picture) return f;
    const std::filesystem::path path(picture);
    std::string name = "textures/" + path.filename().string();
    for (int n = 2; std::any_of(files.begin(), files.end(), [&](const OutFile& f) { return f.name == name; }); ++n)
        name = "textures/" + path.stem().string() + "_" + std::to_string(n) + path.extension().string();
    files.push_back({name, "", picture});
    return files.back();
}

const ExportFormat objFormat{
    .word = "obj",
    .label = "Cloud, planes and meshes, OBJ",
    .fileName = "scene.obj",
    .write = writeObj,
    .read = readObj,
    .lacks = [](const SceneExport& s) -> std::string {
        std::string out = text("the camera");
        if (std::any_of(s.things.begin(), s.things.end(), [](const auto& t) { return !t.solid(); }))
            out += ", " + text("things without faces");
        if (std::any_of(s.things.begin(), s.things.end(), [](const auto& t) { return !t.samples.empty(); }) ||
            !s.movers.empty())
            out += ", " + text("the motion of things");
        if (anyHangs(s)) out += ", " + text("which thing hangs on which");
        return out;
    },
    .holdsCamera = false,
    .holdsMarks = false,
};

}  // namespace va
