// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/gltf_read.h"

#include <assimp/postprocess.h>
#include <assimp/scene.h>

#include <algorithm>
#include <assimp/Importer.hpp>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>
#include <set>

#include "base/error.h"
#include "base/text.h"

namespace va {
namespace {

using nlohmann::json;

[[noreturn]] void fail(const std::string& source) {
    throw InputError(text("\"%s\" is no whole glTF file. Write it again.", source.c_str()));
}

/// The JSON of the file: all of a .gltf, the first chunk of a .glb (glTF 2.0, "GLB File Format").
json headOf(const std::string& content, const std::string& source, bool binary) {
    std::string words = content;
    if (binary) {
        if (content.size() < 20) fail(source);
        uint32_t total = 0, bytes = 0;
        std::memcpy(&total, content.data() + 8, 4);
        std::memcpy(&bytes, content.data() + 12, 4);
        if (total > content.size() || bytes > content.size() - 20) fail(source);
        words = content.substr(20, bytes);
    }
    json out = json::parse(words, nullptr, false);
    if (out.is_discarded() || !out.is_object()) fail(source);
    return out;
}

/// Buffers and pictures within the file, or beside it.
void refuseOutside(const json& head, const std::string& source) {
    for (const char* list : {"buffers", "images"})
        for (const json& entry : head.value(list, json::array())) {
            const std::string uri = entry.is_object() ? entry.value("uri", std::string()) : std::string();
            if (uri.empty() || uri.starts_with("data:")) continue;
            const std::filesystem::path path(uri);
            const bool up = std::any_of(path.begin(), path.end(), [](const auto& part) { return part == ".."; });
            if (path.is_absolute() || up || uri.find("://") != std::string::npos)
                throw InputError(
                    text("\"%s\" names \"%s\", which lies outside of its folder: it is not read. Copy that "
                         "file beside it and name it there.",
                         source.c_str(), uri.c_str()));
        }
}

Eigen::Matrix4d matrixFrom(const aiMatrix4x4& m) {
    Eigen::Matrix4d out;
    out << double(m.a1), double(m.a2), double(m.a3), double(m.a4), double(m.b1), double(m.b2), double(m.b3),
        double(m.b4), double(m.c1), double(m.c2), double(m.c3), double(m.c4), double(m.d1), double(m.d2), double(m.d3),
        double(m.d4);
    return out;
}

class GltfReader {
  public:
    GltfReader(const aiScene& scene, const json& head, const std::string& source)
        : scene_(scene), head_(head), source_(source) {}

    ForeignScene read() {
        out_.format = "glb";
        out_.zUp = false, out_.axisSaid = true;
        out_.metresPerUnit = 1;
        facts();
        out_.between = !out_.framesSaid;
        for (unsigned a = 0; a < scene_.mNumAnimations; ++a)
            for (unsigned c = 0; c < scene_.mAnimations[a]->mNumChannels; ++c)
                channels_[scene_.mAnimations[a]->mChannels[c]->mNodeName.C_Str()] = scene_.mAnimations[a]->mChannels[c];
        if (scene_.mNumAnimations > 1)
            out_.notes.push_back(text("It holds %u animations; they are taken together.", scene_.mNumAnimations));
        rate();
        visit(*scene_.mRootNode, {});
        return std::move(out_);
    }

  private:
    using Chain = std::vector<const aiNode*>;

    void facts() {
        const json extras = head_.value("asset", json::object()).value("extras", json::object());
        if (!extras.is_object()) return;
        const auto number = [&](const char* key) -> std::optional<double> {
            const auto at = extras.find(key);
            return at != extras.end() && at->is_number() ? std::optional(at->get<double>()) : std::nullopt;
        };
        const auto num = number("rateNum"), den = number("rateDen");
        if (num && den && *num > 0 && *den > 0) out_.rate = reduced(int64_t(*num), int64_t(*den));
        if (const auto first = number("firstFrame")) first_ = *first, out_.framesSaid = true, out_.first = int(*first);
        if (const auto last = number("lastFrame")) out_.last = int(*last);
        if (const auto w = number("width")) out_.width = int(*w);
        if (const auto h = number("height")) out_.height = int(*h);
        out_.pixelAspect = number("pixelAspect");
        backWidth_ = number("backWidthMm");
        if (const auto model = extras.find("lensModel"); model != extras.end() && model->is_string())
            lens_ = lensNamed(model->get<std::string>(),
                              [&](const char* key) { return number(("lens_" + std::string(key)).c_str()); });
        if (extras.contains("metric") && extras["metric"] == false) out_.metresPerUnit.reset();
        if (const auto f = extras.find("frame"); f != extras.end() && f->is_array() && f->size() == 4)
            frameOf_ = {(*f)[0].get<double>(), (*f)[1].get<double>(), (*f)[2].get<double>(), (*f)[3].get<double>()};
    }
    /// assimp gives times in thousandths of a second.
    static double seconds(double ticks) { return ticks / 1000; }
    void rate() {
        if (out_.rate) return;
        std::set<double> times;
        for (const auto& [name, c] : channels_)
            for (unsigned i = 0; i < c->mNumPositionKeys; ++i) times.insert(seconds(c->mPositionKeys[i].mTime));
        if (times.size() < 2) return;
        std::vector<double> steps;
        for (auto t = std::next(times.begin()); t != times.end(); ++t) steps.push_back(*t - *std::prev(t));
        std::nth_element(steps.begin(), steps.begin() + long(steps.size() / 2), steps.end());
        if (const double step = steps[steps.size() / 2]; step > 0) {
            // The whole span tells it better than one step in single precision.
            const double span = *times.rbegin() - *times.begin(), count = std::round(span / step);
            out_.rate = rateFrom(count > 0 ? count / span : 1 / step);
        }
    }
    [[nodiscard]] double frameOf(double ticks) const {
        const double f = first_ + seconds(ticks) * (out_.rate ? out_.rate->value() : 1);
        return std::fabs(f - std::round(f)) < 0.01 ? std::round(f) : f;
    }
    const aiNodeAnim* channelOf(const aiNode* n) const {
        const auto found = channels_.find(n->mName.C_Str());
        return found == channels_.end() ? nullptr : found->second;
    }
    std::set<double> ticksOf(const Chain& chain) const {
        std::set<double> out;
        for (const aiNode* n : chain)
            if (const aiNodeAnim* c = channelOf(n)) {
                for (unsigned i = 0; i < c->mNumPositionKeys; ++i) out.insert(c->mPositionKeys[i].mTime);
                for (unsigned i = 0; i < c->mNumRotationKeys; ++i) out.insert(c->mRotationKeys[i].mTime);
            }
        return out;
    }
    /// Two keys around a time and the share of the second one.
    template <class Key>
    static std::tuple<const Key*, const Key*, double> around(const Key* keys, unsigned count, double ticks) {
        const Key* next =
            std::lower_bound(keys, keys + count, ticks, [](const Key& k, double t) { return k.mTime < t - 1e-6; });
        if (next == keys) return {next, next, 0.0};
        if (next == keys + count) return {next - 1, next - 1, 0.0};
        const double span = next->mTime - (next - 1)->mTime;
        return {next - 1, next, span > 0 ? std::min(1.0, (ticks - (next - 1)->mTime) / span) : 1.0};
    }
    Eigen::Matrix4d localAt(const aiNode* n, double ticks) const {
        const aiNodeAnim* c = channelOf(n);
        if (!c) return matrixFrom(n->mTransformation);
        Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
        Eigen::Vector3d scale(1, 1, 1);
        const auto vector = [](const aiVector3D& v) { return Eigen::Vector3d(double(v.x), double(v.y), double(v.z)); };
        const auto turn = [](const aiQuaternion& q) {
            return Eigen::Quaterniond(double(q.w), double(q.x), double(q.y), double(q.z)).normalized();
        };
        if (c->mNumScalingKeys > 0) {
            const auto [a, b, t] = around(c->mScalingKeys, c->mNumScalingKeys, ticks);
            scale = (1 - t) * vector(a->mValue) + t * vector(b->mValue);
        }
        if (c->mNumRotationKeys > 0) {
            const auto [a, b, t] = around(c->mRotationKeys, c->mNumRotationKeys, ticks);
            m.topLeftCorner<3, 3>() = turn(a->mValue).slerp(t, turn(b->mValue)).toRotationMatrix();
        }
        m.topLeftCorner<3, 3>() = m.topLeftCorner<3, 3>() * scale.asDiagonal();
        if (c->mNumPositionKeys > 0) {
            const auto [a, b, t] = around(c->mPositionKeys, c->mNumPositionKeys, ticks);
            m.topRightCorner<3, 1>() = (1 - t) * vector(a->mValue) + t * vector(b->mValue);
        }
        return m;
    }
    Eigen::Matrix4d placeAt(const Chain& chain, double ticks) const {
        Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
        for (const aiNode* n : chain) m = m * localAt(n, ticks);
        return m;
    }

    void visit(const aiNode& n, Chain chain) {
        chain.push_back(&n);
        bool isCamera = false;
        for (unsigned i = 0; i < scene_.mNumCameras; ++i)
            if (scene_.mCameras[i]->mName == n.mName) camera(*scene_.mCameras[i], n, chain), isCamera = true;
        if (&n != scene_.mRootNode && !isCamera) body(n, chain);
        for (unsigned i = 0; i < n.mNumChildren; ++i) visit(*n.mChildren[i], chain);
    }
    /// Angle of view across, as the file itself has it: in double precision.
    [[nodiscard]] std::optional<std::pair<double, double>> halfOf(const std::string& node) const {
        for (const json& n : head_.value("nodes", json::array())) {
            if (!n.contains("camera") || n.value("name", std::string()) != node) continue;
            const json& list = head_.at("cameras");
            const auto index = n.at("camera").get<size_t>();
            if (index >= list.size() || !list[index].contains("perspective")) return std::nullopt;
            const json& p = list[index].at("perspective");
            const double high = std::tan(p.at("yfov").get<double>() / 2);
            return std::pair(high * p.value("aspectRatio", 0.0), high);
        }
        return std::nullopt;
    }
    void camera(const aiCamera& camera, const aiNode& n, const Chain& chain) {
        ForeignScene::Camera c;
        c.name = n.mName.C_Str();
        // assimp up to 5.2 gives the upright angle times the aspect as the one across.
        const double aspect = camera.mAspect > 0 ? double(camera.mAspect) : 1;
        double high = std::tan(double(camera.mHorizontalFOV) / aspect / 2), wide = high * aspect;
        if (const auto exact = halfOf(c.name)) {
            high = exact->second;
            wide = exact->first > 0 ? exact->first : out_.width && out_.height ? high * *out_.width / *out_.height : 0;
        }
        if (!(wide > 0) || !std::isfinite(wide)) {
            out_.notes.push_back(text("The camera \"%s\" has no perspective: it is left out.", c.name.c_str()));
            return;
        }
        // Only the angle counts; a film back is given where the file is ours.
        c.angleOnly = !backWidth_;
        c.backWidthMm = backWidth_.value_or(guessedBackMm);
        c.backHeightMm = high > 0 ? c.backWidthMm * high / wide : 0;
        if (frameOf_) c.frameOf = frameOf_;
        c.lens = lens_;
        const double focal = c.backWidthMm / 2 / wide;
        std::set<double> ticks = ticksOf(chain);
        if (ticks.empty()) {
            // One camera a frame says its number in its name.
            double frame = first_;
            if (c.name.starts_with("Camera_")) frame = std::strtod(c.name.c_str() + 7, nullptr);
            c.frames.push_back({frame, poseOf(placeAt(chain, 0)), focal});
            if (!out_.cameras.empty() && c.name.starts_with("Camera_") &&
                out_.cameras.back().name.starts_with("Camera_")) {
                // Frames of one camera whose lens zooms.
                ForeignScene::Camera& whole = out_.cameras.back();
                whole.frames.push_back({frame, c.frames[0].pose, focal * whole.backWidthMm / c.backWidthMm});
                return;
            }
        }
        for (const double t : ticks) c.frames.push_back({frameOf(t), poseOf(placeAt(chain, t)), focal});
        out_.cameras.push_back(std::move(c));
    }
    void body(const aiNode& n, const Chain& chain) {
        ForeignScene::Body b;
        b.name = n.mName.C_Str();
        bool faces = false, points = false;
        for (unsigned m = 0; m < n.mNumMeshes; ++m) {
            const aiMesh& mesh = *scene_.mMeshes[n.mMeshes[m]];
            const auto from = int(b.vertices.size());
            for (unsigned v = 0; v < mesh.mNumVertices; ++v) {
                const aiVector3D& p = mesh.mVertices[v];
                b.vertices.emplace_back(double(p.x), double(p.y), double(p.z));
                if (!b.vertices.back().allFinite())
                    throw InputError(text("\"%s\" holds a vertex of \"%s\" that is no number. Write it again.",
                                          source_.c_str(), b.name.c_str()));
            }
            for (unsigned f = 0; f < mesh.mNumFaces; ++f) {
                const aiFace& face = mesh.mFaces[f];
                faces = faces || face.mNumIndices >= 3, points = points || face.mNumIndices == 1;
                if (face.mNumIndices == 3)
                    b.triangles.push_back(
                        {from + int(face.mIndices[0]), from + int(face.mIndices[1]), from + int(face.mIndices[2])});
            }
            if (mesh.mMaterialIndex < scene_.mNumMaterials && !b.colour) {
                aiColor4D c;
                if (scene_.mMaterials[mesh.mMaterialIndex]->Get(AI_MATKEY_BASE_COLOR, c) == AI_SUCCESS)
                    b.colour = Eigen::Vector4d(double(c.r), double(c.g), double(c.b), double(c.a));
            }
        }
        const std::set<double> ticks = ticksOf(chain);
        if (points && !faces && ticks.empty() && (!out_.framesSaid || b.name == "Cloud")) {
            const Eigen::Matrix4d place = placeAt(chain, 0);
            for (const auto& v : b.vertices)
                out_.points.push_back(
                    {int(out_.points.size()) + 1, place.topLeftCorner<3, 3>() * v + place.topRightCorner<3, 1>()});
            return;
        }
        if (ticks.empty()) b.samples.push_back({first_, placeAt(chain, 0), true});
        for (const double t : ticks) b.samples.push_back({frameOf(t), placeAt(chain, t), true});
        out_.bodies.push_back(std::move(b));
    }

    const aiScene& scene_;
    const json& head_;
    const std::string& source_;
    ForeignScene out_;
    std::map<std::string, const aiNodeAnim*> channels_;
    std::optional<double> backWidth_;
    std::optional<LensModel> lens_;
    std::optional<std::array<double, 4>> frameOf_;
    double first_ = 0;
};

}  // namespace

ForeignScene readGltfScene(const std::string& content, const std::string& source) {
    const bool binary = content.starts_with("glTF");
    const json head = headOf(content, source, binary);
    refuseOutside(head, source);
    Assimp::Importer importer;
    importer.SetPropertyBool(AI_CONFIG_IMPORT_NO_SKELETON_MESHES, true);
    constexpr unsigned flags = aiProcess_Triangulate;
    const aiScene* scene = nullptr;
    try {
        scene = binary ? importer.ReadFileFromMemory(content.data(), content.size(), flags, "glb")
                       : importer.ReadFile(source, flags);
        if (!scene || !scene->mRootNode) fail(source);
        return GltfReader(*scene, head, source).read();
    } catch (const json::exception&) {
        fail(source);
    }
}

}  // namespace va
