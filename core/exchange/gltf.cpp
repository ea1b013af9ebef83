// SPDX-License-Identifier: GPL-3.0-or-later
#include <tiny_gltf.h>

#include <cstring>
#include <filesystem>
#include <map>
#include <sstream>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/text.h"
#include "exchange/export_body.h"
#include "exchange/formats.h"
#include "exchange/gltf_read.h"

namespace va {
namespace {

bool zooms(const SceneExport& s) {
    double low = 1e300, high = 0;
    for (const auto& f : s.frames)
        if (f.solved) low = std::min(low, f.focalPx), high = std::max(high, f.focalPx);
    return high > low * (1 + 1e-9);
}

/// Media type of a picture that glTF can hold; empty for others.
std::string pictureType(const std::string& file) {
    const std::string ending = lowerCase(std::filesystem::path(file).extension().string());
    if (ending == ".png") return "image/png";
    return ending == ".jpg" || ending == ".jpeg" ? "image/jpeg" : "";
}

/// Builds a glTF 2.0 model (Khronos, "glTF 2.0 Specification"): Y up, metres, seconds.
class GltfWriter {
  public:
    explicit GltfWriter(const SceneExport& scene) : s_(scene), centred_(centredFrame(scene)) {
        model_.asset.version = "2.0";
        model_.asset.generator = "Vivid Anchor";
        model_.buffers.emplace_back();
        model_.scenes.emplace_back();
        model_.scenes[0].name = "shot";
        model_.defaultScene = 0;
    }

    std::string write() {
        for (const auto& f : s_.frames)
            if (f.solved) solved_.push_back(&f);
        if (solved_.empty()) throw Error(text("There is no frame to export. Solve the shot first."));
        if (zooms(s_) && !s_.cameraPerFrame)
            throw InputError(text(
                "glTF knows no zoom, and this lens zooms. Export one camera a frame, or take another format: OpenUSD "
                "and COLLADA hold it."));
        facts();
        camera();
        cloud();
        for (const ExportBody& b : bodiesOf(s_)) body(b);
        std::ostringstream out;
        tinygltf::TinyGLTF gltf;
        if (!gltf.WriteGltfSceneToStream(&model_, out, false, true))
            throw Error(text("The glTF file could not be put together. Report this."));
        return out.str();
    }

  private:
    using Value = tinygltf::Value;

    void facts() {
        // glTF has no place for what a frame is: others skip extras.
        Value::Object o;
        o["firstFrame"] = Value(solved_.front()->frame);
        o["lastFrame"] = Value(solved_.back()->frame);
        o["rateNum"] = Value(int(s_.rate.num));
        o["rateDen"] = Value(int(s_.rate.den));
        o["width"] = Value(s_.width);
        o["height"] = Value(s_.height);
        o["pixelAspect"] = Value(s_.pixelAspect);
        o["metric"] = Value(s_.metric);
        Value::Array frame;
        for (const double v : {centred_.width, centred_.height, centred_.left, centred_.top}) frame.emplace_back(v);
        o["frame"] = Value(frame);
        o["backWidthMm"] = Value(centred_.backWidthMm);
        o["lensModel"] = Value(std::string(lensKindName(s_.lens.kind())));
        for (int i = 0; i < s_.lens.count(); ++i)
            o[std::string("lens_") + lensValueNames(s_.lens.kind())[size_t(i)]] = Value(s_.lens.value(i));
        model_.asset.extras = Value(o);
    }

    /// Appends bytes, at a multiple of four, and gives their view.
    int view(const void* data, size_t bytes, int target = 0) {
        auto& to = model_.buffers[0].data;
        to.resize((to.size() + 3) / 4 * 4);
        tinygltf::BufferView v;
        v.buffer = 0;
        v.byteOffset = to.size();
        v.byteLength = bytes;
        v.target = target;
        to.insert(to.end(), static_cast<const unsigned char*>(data), static_cast<const unsigned char*>(data) + bytes);
        model_.bufferViews.push_back(v);
        return int(model_.bufferViews.size()) - 1;
    }
    int accessor(const std::vector<float>& values, int type, int width, bool bounds, int target = 0) {
        tinygltf::Accessor a;
        a.bufferView = view(values.data(), values.size() * sizeof(float), target);
        a.componentType = TINYGLTF_COMPONENT_TYPE_FLOAT;
        a.type = type;
        a.count = values.size() / size_t(width);
        if (bounds)
            for (int k = 0; k < width; ++k) {
                float low = values[size_t(k)], high = low;
                for (size_t i = size_t(k); i < values.size(); i += size_t(width))
                    low = std::min(low, values[i]), high = std::max(high, values[i]);
                a.minValues.push_back(double(low)), a.maxValues.push_back(double(high));
            }
        model_.accessors.push_back(a);
        return int(model_.accessors.size()) - 1;
    }
    int indexAccessor(const std::vector<uint32_t>& values) {
        tinygltf::Accessor a;
        a.bufferView = view(values.data(), values.size() * sizeof(uint32_t), TINYGLTF_TARGET_ELEMENT_ARRAY_BUFFER);
        a.componentType = TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT;
        a.type = TINYGLTF_TYPE_SCALAR;
        a.count = values.size();
        model_.accessors.push_back(a);
        return int(model_.accessors.size()) - 1;
    }

    int addNode(tinygltf::Node node) {
        model_.nodes.push_back(std::move(node));
        model_.scenes[0].nodes.push_back(int(model_.nodes.size()) - 1);
        return int(model_.nodes.size()) - 1;
    }
    static void place(tinygltf::Node& node, const Similarity& s) {
        node.translation = {s.translation.x(), s.translation.y(), s.translation.z()};
        node.rotation = {s.rotation.x(), s.rotation.y(), s.rotation.z(), s.rotation.w()};
        if (s.scale != 1) node.scale = {s.scale, s.scale, s.scale};
    }
    void animate(int node, const std::vector<std::pair<int, Similarity>>& samples) {
        if (samples.size() < 2) return;
        if (model_.animations.empty()) model_.animations.emplace_back().name = "shot";
        std::vector<float> times, places, turns, scales;
        Eigen::Quaterniond before = samples.front().second.rotation;
        bool scaled = false;
        for (const auto& [frame, s] : samples) {
            times.push_back(float((frame - solved_.front()->frame) / s_.rate.value()));
            for (int k = 0; k < 3; ++k) places.push_back(float(s.translation[k])), scales.push_back(float(s.scale));
            scaled = scaled || s.scale != samples.front().second.scale;
            // Of the two quaternions of a rotation the one near the last: readers go from one to the next.
            Eigen::Quaterniond q = s.rotation;
            if (q.dot(before) < 0) q.coeffs() = -q.coeffs();
            before = q;
            for (const double v : {q.x(), q.y(), q.z(), q.w()}) turns.push_back(float(v));
        }
        const int time = accessor(times, TINYGLTF_TYPE_SCALAR, 1, true);
        const auto channel = [&](const std::vector<float>& values, int type, int width, const char* path) {
            tinygltf::Animation& a = model_.animations[0];
            tinygltf::AnimationSampler sampler;
            sampler.input = time;
            sampler.output = accessor(values, type, width, false);
            sampler.interpolation = "LINEAR";
            a.samplers.push_back(sampler);
            tinygltf::AnimationChannel c;
            c.sampler = int(a.samplers.size()) - 1;
            c.target_node = node;
            c.target_path = path;
            a.channels.push_back(c);
        };
        channel(places, TINYGLTF_TYPE_VEC3, 3, "translation");
        channel(turns, TINYGLTF_TYPE_VEC4, 4, "rotation");
        if (scaled) channel(scales, TINYGLTF_TYPE_VEC3, 3, "scale");
    }

    int lens(double focalPx) {
        tinygltf::Camera c;
        c.type = "perspective";
        c.name = "lens";
        c.perspective.yfov = 2 * std::atan(centred_.height / 2 / focalPx);
        c.perspective.aspectRatio = centred_.width * s_.pixelAspect / centred_.height;
        c.perspective.znear = 0.01;
        c.perspective.zfar = 100000;
        model_.cameras.push_back(c);
        return int(model_.cameras.size()) - 1;
    }
    void camera() {
        const auto node = [&](const SceneExport::Frame& f, const std::string& name) {
            tinygltf::Node n;
            n.name = name;
            n.camera = lens(f.focalPx);
            place(n, {1, f.pose.worldFromCamera, f.pose.position});
            return addNode(std::move(n));
        };
        if (zooms(s_)) {
            for (const auto* f : solved_) node(*f, "Camera_" + std::to_string(f->frame));
            return;
        }
        const int at = node(*solved_.front(), "Camera");
        std::vector<std::pair<int, Similarity>> samples;
        for (const auto* f : solved_)
            samples.emplace_back(f->frame, Similarity{1, f->pose.worldFromCamera, f->pose.position});
        animate(at, samples);
    }
    int pointsMesh(const std::string& name, const std::vector<float>& xyz) {
        tinygltf::Mesh mesh;
        mesh.name = name;
        tinygltf::Primitive p;
        p.mode = TINYGLTF_MODE_POINTS;
        p.attributes["POSITION"] = accessor(xyz, TINYGLTF_TYPE_VEC3, 3, true, TINYGLTF_TARGET_ARRAY_BUFFER);
        mesh.primitives.push_back(p);
        model_.meshes.push_back(mesh);
        return int(model_.meshes.size()) - 1;
    }
    void cloud() {
        if (s_.points.empty()) return;
        std::vector<float> xyz;
        for (const auto& p : s_.points)
            for (int k = 0; k < 3; ++k) xyz.push_back(float(p.position[k]));
        tinygltf::Node n;
        n.name = "Cloud";
        n.mesh = pointsMesh("Cloud", xyz);
        addNode(std::move(n));
    }
    /// A picture's bytes within the file; −1 where it can't be had.
    int texture(const std::string& picture) {
        if (const auto had = textures_.find(picture); had != textures_.end()) return had->second;
        int& out = textures_[picture] = -1;
        const std::string type = pictureType(picture);
        if (type.empty()) return out;
        try {
            const std::string bytes = readFile(picture);
            tinygltf::Image image;
            image.mimeType = type;
            image.bufferView = view(bytes.data(), bytes.size());
            model_.images.push_back(image);
            tinygltf::Texture t;
            t.source = int(model_.images.size()) - 1;
            model_.textures.push_back(t);
            out = int(model_.textures.size()) - 1;
        } catch (const Error&) {  // the colour alone is left
        }
        return out;
    }
    int material(const ExportBody& b, size_t m) {
        tinygltf::Material out;
        out.name = b.name + (m > 0 ? " " + std::to_string(m + 1) : "");
        const Eigen::Vector4d c = colourOf(b, m);
        // Factors are linear light; our colours are as displayed (IEC 61966-2-1).
        const auto linear = [](double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
        out.pbrMetallicRoughness.baseColorFactor = {linear(c.x()), linear(c.y()), linear(c.z()), c.w()};
        const Material plain, &own = m < b.shape.materials.size() ? b.shape.materials[m] : plain;
        out.pbrMetallicRoughness.roughnessFactor = own.roughness;
        out.pbrMetallicRoughness.metallicFactor = own.metalness;
        if (!own.picture.empty() && !b.shape.uv.empty())
            out.pbrMetallicRoughness.baseColorTexture.index = texture(own.picture);
        if (c.w() < 1) out.alphaMode = "BLEND";
        out.doubleSided = true;
        model_.materials.push_back(out);
        return int(model_.materials.size()) - 1;
    }
    void body(const ExportBody& b) {
        tinygltf::Node n;
        n.name = b.name;
        if (b.shape.faceCount() > 0) n.mesh = faces(b);
        else if (!b.shape.vertices.empty()) {
            std::vector<float> xyz;
            for (const auto& v : b.shape.vertices)
                for (int k = 0; k < 3; ++k) xyz.push_back(float(v[k]));
            n.mesh = pointsMesh(b.name, xyz);
        }
        place(n, b.samples.front().place);
        const int at = addNode(std::move(n));
        std::vector<std::pair<int, Similarity>> samples;
        for (const auto& s : b.samples) samples.emplace_back(s.frame, s.place);
        animate(at, samples);
    }
    int faces(const ExportBody& b) {
        tinygltf::Mesh mesh;
        mesh.name = b.name;
        const bool pictures = !b.shape.uv.empty();
        for (size_t m = 0; m < std::max<size_t>(1, b.shape.materials.size()); ++m) {
            const auto triangles = trianglesOf(b.shape, m);
            if (triangles.empty()) continue;
            // A vertex has one place in the picture here: where corners differ in that, each is a vertex.
            std::vector<float> xyz, uv;
            std::vector<uint32_t> index;
            std::map<std::pair<int, std::pair<float, float>>, uint32_t> known;
            for (const auto& t : triangles)
                for (const int corner : t) {
                    const int v = b.shape.corners[size_t(corner)];
                    const Eigen::Vector2f at =
                        pictures ? Eigen::Vector2f(b.shape.uv[size_t(corner)].cast<float>()) : Eigen::Vector2f(0, 0);
                    const auto [place, fresh] = known.try_emplace({v, {at.x(), at.y()}}, uint32_t(xyz.size() / 3));
                    if (fresh) {
                        for (int k = 0; k < 3; ++k) xyz.push_back(float(b.shape.vertices[size_t(v)][k]));
                        uv.push_back(at.x()), uv.push_back(1 - at.y());
                    }
                    index.push_back(place->second);
                }
            tinygltf::Primitive p;
            p.mode = TINYGLTF_MODE_TRIANGLES;
            p.attributes["POSITION"] = accessor(xyz, TINYGLTF_TYPE_VEC3, 3, true, TINYGLTF_TARGET_ARRAY_BUFFER);
            if (pictures)
                p.attributes["TEXCOORD_0"] = accessor(uv, TINYGLTF_TYPE_VEC2, 2, false, TINYGLTF_TARGET_ARRAY_BUFFER);
            p.indices = indexAccessor(index);
            p.material = material(b, m);
            mesh.primitives.push_back(p);
        }
        model_.meshes.push_back(mesh);
        return int(model_.meshes.size()) - 1;
    }

    const SceneExport& s_;
    CentredFrame centred_;
    std::vector<const SceneExport::Frame*> solved_;
    tinygltf::Model model_;
    std::map<std::string, int> textures_;
};

std::string gltfLacks(const SceneExport& s) {
    std::string out = s.lens.isZero() ? "" : text("lens distortion (only its numbers, in extras)");
    const auto add = [&](const std::string& what) { out += (out.empty() || what.empty() ? "" : ", ") + what; };
    add(wordsOf(centredFrame(s), s));
    if (zooms(s)) add(text("the zoom (one camera a frame instead)"));
    const auto hides = [](const auto& t) {
        return !t.visible ||
               std::any_of(t.samples.begin(), t.samples.end(), [](const auto& at) { return !at.visible; });
    };
    if (std::any_of(s.things.begin(), s.things.end(), hides)) add(text("which things are hidden, and when"));
    if (anyHangs(s)) add(text("which thing hangs on which"));
    for (const auto& t : s.things)
        for (const Material& m : t.shape().materials)
            if (!m.picture.empty() && (pictureType(m.picture).empty() || !std::filesystem::is_regular_file(m.picture)))
                add(text("the picture \"%s\" (glTF holds PNG and JPEG files that are there)",
                         std::filesystem::path(m.picture).filename().c_str()));
    if (std::any_of(s.frames.begin(), s.frames.end(), [](const auto& f) { return !f.solved; }))
        add(text("which frames have no camera"));
    return out;
}

}  // namespace

const ExportFormat gltfFormat{
    .word = "glb",
    .label = "Camera and scene, glTF 2.0",
    .fileName = "camera.glb",
    .write =
        [](const SceneExport& s) {
            return OutFiles{{"", GltfWriter(s).write(), ""}};
        },
    .read = [](const std::string& content, const std::string& source) { return readGltfScene(content, source); },
    .lacks = gltfLacks,
    .standardAxes = true,
};

}  // namespace va
