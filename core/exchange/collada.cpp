// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/number_text.h"
#include "base/text.h"
#include "exchange/collada_read.h"
#include "exchange/export_body.h"
#include "exchange/formats.h"

namespace va {
namespace {

std::string escaped(const std::string& words) {
    std::string out;
    for (const char c : words) {
        if (c == '&') out += "&amp;";
        else if (c == '<') out += "&lt;";
        else if (c == '>') out += "&gt;";
        else if (c == '"') out += "&quot;";
        else if (static_cast<unsigned char>(c) >= 32) out += c;
    }
    return out;
}

std::string row(const Eigen::Matrix4d& m) {
    std::string out;
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c) out += (out.empty() ? "" : " ") + exactText(m(r, c));
    return out;
}

/// COLLADA 1.4.1 (Khronos, "COLLADA – Digital Asset Schema Release 1.4.1").
class ColladaWriter {
  public:
    explicit ColladaWriter(const SceneExport& scene)
        : s_(scene), centred_(centredFrame(scene)), bodies_(bodiesOf(scene)) {}

    std::string write() {
        for (const auto& f : s_.frames)
            if (f.solved) solved_.push_back(&f);
        if (solved_.empty()) throw Error(text("There is no frame to export. Solve the shot first."));
        std::string out =
            "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<COLLADA "
            "xmlns=\"http://www.collada.org/2005/11/COLLADASchema\" "
            "version=\"1.4.1\">\n  <asset>\n    <contributor><authoring_tool>Vivid "
            "Anchor</authoring_tool></contributor>\n"
            "    <created>2000-01-01T00:00:00</created>\n    <modified>2000-01-01T00:00:00</modified>\n";
        out += "    <unit name=\"" + std::string(s_.metric ? "unit" : "scene") + "\" meter=\"" +
               exactText(s_.metresPerUnit) + "\"/>\n    <up_axis>" + (s_.zUp ? "Z_UP" : "Y_UP") + "</up_axis>\n" +
               extra() + "  </asset>\n";
        out += cameras() + materials() + geometries() + scenes() + animations();
        return out + "  <scene><instance_visual_scene url=\"#shot\"/></scene>\n</COLLADA>\n";
    }

  private:
    std::string extra() const {
        const auto value = [](const char* key, const std::string& v) {
            return formatted("<%s>", key) + v + formatted("</%s>", key);
        };
        std::string lens = value("lens_model", lensKindName(s_.lens.kind()));
        for (int i = 0; i < s_.lens.count(); ++i)
            lens += value(("lens_" + std::string(lensValueNames(s_.lens.kind())[size_t(i)])).c_str(),
                          exactText(s_.lens.value(i)));
        return "    <extra><technique profile=\"VividAnchor\">" +
               value("first_frame", std::to_string(solved_.front()->frame)) +
               value("last_frame", std::to_string(solved_.back()->frame)) +
               value("rate_num", std::to_string(s_.rate.num)) + value("rate_den", std::to_string(s_.rate.den)) +
               value("width", std::to_string(s_.width)) + value("height", std::to_string(s_.height)) +
               value("pixel_aspect", exactText(s_.pixelAspect)) +
               value("back_width_mm", exactText(centred_.backWidthMm)) +
               value("frame", exactText(centred_.width) + " " + exactText(centred_.height) + " " +
                                  exactText(centred_.left) + " " + exactText(centred_.top)) +
               lens + "</technique></extra>\n";
    }
    /// Upright, as most readers take it.
    double angle(const SceneExport::Frame& f) const {
        return 2 * std::atan(centred_.height / 2 / f.focalPx) * 180 / M_PI;
    }
    double seconds(int frame) const { return (frame - solved_.front()->frame) / s_.rate.value(); }

    std::string cameras() const {
        return "  <library_cameras>\n    <camera id=\"Lens\" name=\"Lens\"><optics><technique_common><perspective>\n   "
               "   <yfov "
               "sid=\"yfov\">" +
               exactText(angle(*solved_.front())) + "</yfov><aspect_ratio>" +
               exactText(centred_.width * s_.pixelAspect / centred_.height) +
               "</aspect_ratio><znear>0.01</znear><zfar>100000</zfar>\n    "
               "</perspective></technique_common></optics></camera>\n  </library_cameras>\n";
    }
    std::string materials() const {
        std::string effects, materials;
        for (size_t b = 0; b < bodies_.size(); ++b)
            for (size_t m = 0; m < std::max<size_t>(1, bodies_[b].shape.materials.size()); ++m) {
                const std::string id = formatted("m%zu_%zu", b, m);
                const Eigen::Vector4d c = colourOf(bodies_[b], m);
                effects += "    <effect id=\"fx_" + id +
                           "\"><profile_COMMON><technique sid=\"common\"><lambert><diffuse><color>" + exactText(c.x()) +
                           " " + exactText(c.y()) + " " + exactText(c.z()) +
                           " 1</color></diffuse><transparency><float>" + exactText(c.w()) +
                           "</float></transparency></lambert></technique></profile_COMMON></effect>\n";
                materials += "    <material id=\"" + id + "\"><instance_effect url=\"#fx_" + id + "\"/></material>\n";
            }
        if (effects.empty()) return {};
        return "  <library_effects>\n" + effects + "  </library_effects>\n  <library_materials>\n" + materials +
               "  </library_materials>\n";
    }
    std::string geometries() const {
        std::string out;
        for (size_t b = 0; b < bodies_.size(); ++b) {
            const Shape& shape = bodies_[b].shape;
            if (shape.faceCount() == 0) continue;
            const std::string id = formatted("g%zu", b);
            std::string xyz;
            for (const auto& v : shape.vertices)
                for (int k = 0; k < 3; ++k) xyz += (xyz.empty() ? "" : " ") + exactText(v[k]);
            out +=
                "    <geometry id=\"" + id + "\" name=\"" + escaped(bodies_[b].name) +
                "\"><mesh>\n      <source id=\"" + id + "p\"><float_array id=\"" + id + "pa\" count=\"" +
                std::to_string(3 * shape.vertices.size()) + "\">" + xyz +
                "</float_array><technique_common><accessor source=\"#" + id + "pa\" count=\"" +
                std::to_string(shape.vertices.size()) +
                "\" stride=\"3\"><param name=\"X\" type=\"float\"/><param name=\"Y\" type=\"float\"/><param name=\"Z\" "
                "type=\"float\"/></accessor></technique_common></source>\n      <vertices id=\"" +
                id + "v\"><input semantic=\"POSITION\" source=\"#" + id + "p\"/></vertices>\n";
            for (size_t m = 0; m < std::max<size_t>(1, shape.materials.size()); ++m) {
                const auto triangles = trianglesOf(shape, m);
                if (triangles.empty()) continue;
                std::string index;
                for (const auto& t : triangles)
                    for (const int corner : t)
                        index += (index.empty() ? "" : " ") + std::to_string(shape.corners[size_t(corner)]);
                out += "      <triangles count=\"" + std::to_string(triangles.size()) + "\" material=\"" +
                       formatted("s%zu", m) + "\"><input semantic=\"VERTEX\" source=\"#" + id +
                       "v\" offset=\"0\"/><p>" + index + "</p></triangles>\n";
            }
            out += "    </mesh></geometry>\n";
        }
        return out.empty() ? out : "  <library_geometries>\n" + out + "  </library_geometries>\n";
    }
    std::string scenes() const {
        const SceneExport::Frame& f = *solved_.front();
        std::string out =
            "  <library_visual_scenes>\n    <visual_scene id=\"shot\" name=\"shot\">\n      <node id=\"Camera\" "
            "name=\"Camera\" type=\"NODE\"><matrix sid=\"transform\">" +
            row(matrixOf({1, f.pose.worldFromCamera, f.pose.position})) +
            "</matrix><instance_camera url=\"#Lens\"/></node>\n";
        for (size_t b = 0; b < bodies_.size(); ++b) {
            out += formatted("      <node id=\"n%zu\" name=\"", b) + escaped(bodies_[b].name) +
                   "\" type=\"NODE\"><matrix sid=\"transform\">" + row(matrixOf(bodies_[b].samples.front().place)) +
                   "</matrix>";
            if (bodies_[b].shape.faceCount() > 0) {
                out += formatted("<instance_geometry url=\"#g%zu\"><bind_material><technique_common>", b);
                for (size_t m = 0; m < std::max<size_t>(1, bodies_[b].shape.materials.size()); ++m)
                    out += formatted("<instance_material symbol=\"s%zu\" target=\"#m%zu_%zu\"/>", m, b, m);
                out += "</technique_common></bind_material></instance_geometry>";
            }
            out += "</node>\n";
        }
        return out + "    </visual_scene>\n  </library_visual_scenes>\n";
    }
    std::string animation(const std::string& id, const std::string& target, const std::vector<int>& frames,
                          const std::string& values, int width) const {
        std::string times, between;
        for (const int f : frames) times += (times.empty() ? "" : " ") + exactText(seconds(f)), between += "LINEAR ";
        const std::string n = std::to_string(frames.size());
        return "    <animation id=\"" + id + "\">\n      <source id=\"" + id + "i\"><float_array id=\"" + id +
               "ia\" count=\"" + n + "\">" + times + "</float_array><technique_common><accessor source=\"#" + id +
               "ia\" count=\"" + n +
               "\" stride=\"1\"><param name=\"TIME\" type=\"float\"/></accessor></technique_common></source>\n      "
               "<source id=\"" +
               id + "o\"><float_array id=\"" + id + "oa\" count=\"" + std::to_string(frames.size() * size_t(width)) +
               "\">" + values + "</float_array><technique_common><accessor source=\"#" + id + "oa\" count=\"" + n +
               "\" stride=\"" + std::to_string(width) + "\"><param name=\"" + (width == 16 ? "TRANSFORM" : "X") +
               "\" type=\"" + (width == 16 ? "float4x4" : "float") +
               "\"/></accessor></technique_common></source>\n      <source id=\"" + id + "k\"><Name_array id=\"" + id +
               "ka\" count=\"" + n + "\">" + between + "</Name_array><technique_common><accessor source=\"#" + id +
               "ka\" count=\"" + n +
               "\" stride=\"1\"><param name=\"INTERPOLATION\" type=\"name\"/></accessor></technique_common></source>\n "
               "     "
               "<sampler id=\"" +
               id + "s\"><input semantic=\"INPUT\" source=\"#" + id + "i\"/><input semantic=\"OUTPUT\" source=\"#" +
               id + "o\"/><input semantic=\"INTERPOLATION\" source=\"#" + id +
               "k\"/></sampler>\n      <channel source=\"#" + id + "s\" target=\"" + target +
               "\"/>\n    </animation>\n";
    }
    std::string animations() const {
        std::string out, matrices, angles;
        std::vector<int> frames;
        for (const auto* f : solved_) {
            frames.push_back(f->frame);
            matrices += (matrices.empty() ? "" : " ") + row(matrixOf({1, f->pose.worldFromCamera, f->pose.position}));
            angles += (angles.empty() ? "" : " ") + exactText(angle(*f));
        }
        if (frames.size() > 1) {
            out += animation("a_camera", "Camera/transform", frames, matrices, 16);
            const auto [low, high] = std::minmax_element(solved_.begin(), solved_.end(),
                                                         [](auto* a, auto* b) { return a->focalPx < b->focalPx; });
            if ((*high)->focalPx > (*low)->focalPx) out += animation("a_lens", "Lens/yfov", frames, angles, 1);
        }
        for (size_t b = 0; b < bodies_.size(); ++b) {
            if (!bodies_[b].moves()) continue;
            std::vector<int> at;
            std::string places;
            for (const auto& s : bodies_[b].samples)
                at.push_back(s.frame), places += (places.empty() ? "" : " ") + row(matrixOf(s.place));
            out += animation(formatted("a%zu", b), formatted("n%zu/transform", b), at, places, 16);
        }
        return out.empty() ? out : "  <library_animations>\n" + out + "  </library_animations>\n";
    }

    const SceneExport& s_;
    CentredFrame centred_;
    std::vector<ExportBody> bodies_;
    std::vector<const SceneExport::Frame*> solved_;
};

std::string colladaLacks(const SceneExport& s) {
    std::string out = s.lens.isZero() ? "" : text("lens distortion (only its numbers, in extra)");
    const auto add = [&](const std::string& what) { out += (out.empty() || what.empty() ? "" : ", ") + what; };
    add(wordsOf(centredFrame(s), s));
    if (!s.points.empty()) add(text("the cloud"));
    if (anyHangs(s)) add(text("which thing hangs on which"));
    if (!s.movers.empty()) add(text("the points of movers"));
    for (const auto& t : s.things)
        for (const Material& m : t.shape().materials)
            if (!m.picture.empty()) {
                add(text("pictures on things"));
                return out;
            }
    return out;
}

}  // namespace

const ExportFormat colladaFormat{
    .word = "dae",
    .label = "Camera and scene, COLLADA 1.4.1",
    .fileName = "camera.dae",
    .write =
        [](const SceneExport& s) {
            return OutFiles{{"", ColladaWriter(s).write(), ""}};
        },
    .read = [](const std::string& content, const std::string& source) { return readColladaScene(content, source); },
    .lacks = colladaLacks,
    .holdsPoints = false,
};

}  // namespace va
