// SPDX-License-Identifier: GPL-3.0-or-later
#include "layout/mesh_file.h"

#include <assimp/config.h>
#include <assimp/material.h>
#include <assimp/postprocess.h>
#include <assimp/scene.h>

#include <algorithm>
#include <assimp/Importer.hpp>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "layout/assets.h"
#include "layout/mesh.h"

namespace va {
namespace {

constexpr double mostTriangles = 20e6;

Eigen::Matrix4d matrixOf(const aiMatrix4x4& m) {
    Eigen::Matrix4d out;
    out << m.a1, m.a2, m.a3, m.a4, m.b1, m.b2, m.b3, m.b4, m.c1, m.c2, m.c3, m.c4, m.d1, m.d2, m.d3, m.d4;
    return out;
}

Eigen::Vector3d vectorOf(const aiVector3D& v) { return {v.x, v.y, v.z}; }

[[noreturn]] void tooLarge(const std::string& file, double triangles) {
    throw InputError(
        text("\"%s\" has %.0f million triangles, and 20 million are the most that are shown. Reduce it in the program "
             "that made it, or export a stand-in for layout.",
             file.c_str(), triangles / 1e6));
}

/// Files that say how much they hold are refused before a reader takes the memory for it.
void checkHeader(const std::string& file, const std::string& ending) {
    std::ifstream in(file, std::ios::binary);
    std::string head(1024, '\0');
    in.read(head.data(), std::streamsize(head.size()));
    head.resize(size_t(in.gcount()));
    std::error_code code;
    const auto bytes = double(std::filesystem::file_size(file, code));
    if (ending == ".stl" && head.size() >= 84 &&
        !(head.starts_with("solid") && head.find("facet") != std::string::npos)) {
        const auto byte = [&](size_t i) { return uint32_t(static_cast<unsigned char>(head[80 + i])) << (8 * i); };
        const double count = byte(0) | byte(1) | byte(2) | byte(3);
        if (count > mostTriangles) tooLarge(file, count);
    } else if (ending == ".ply") {
        const size_t at = head.find("element face ");
        const double count = at == std::string::npos ? 0 : std::atof(head.c_str() + at + 13);
        if (count > mostTriangles) tooLarge(file, count);
    }
    // A triangle takes at least some twenty bytes of text, and as many in numbers.
    if (bytes / 20 > 4 * mostTriangles) tooLarge(file, bytes / 20);
}

template <class Value, class Mix>
Value keyedValue(const std::vector<std::pair<double, Value>>& keys, double seconds, Mix mix) {
    const auto next =
        std::upper_bound(keys.begin(), keys.end(), seconds, [](double s, const auto& k) { return s < k.first; });
    if (next == keys.begin()) return next->second;
    if (next == keys.end()) return keys.back().second;
    const auto last = std::prev(next);
    return mix(last->second, next->second, (seconds - last->first) / std::max(1e-12, next->first - last->first));
}

}  // namespace

/// Takes over what assimp has read.
struct MeshReading {
    const std::string& file;
    const aiScene& scene;
    MeshFile& out;
    std::map<std::string, int> nodeNamed;
    std::vector<std::string> missing;

    void nodes(const aiNode& node, int parent) {
        const int index = int(out.nodes_.size());
        out.nodes_.push_back({parent, matrixOf(node.mTransformation), {}, {}, {}});
        nodeNamed[node.mName.C_Str()] = index;
        for (unsigned i = 0; i < node.mNumMeshes; ++i) part(*scene.mMeshes[node.mMeshes[i]], index);
        for (unsigned i = 0; i < node.mNumChildren; ++i) nodes(*node.mChildren[i], index);
    }

    void part(const aiMesh& mesh, int node) {
        MeshFile::Part p;
        p.node = node;
        p.firstVertex = int(out.shape_.vertices.size());
        for (unsigned i = 0; i < mesh.mNumVertices; ++i) {
            const Eigen::Vector3d v = vectorOf(mesh.mVertices[i]);
            if (!v.allFinite())
                throw InputError(text("Vertex %u of \"%s\" is no number. Export the mesh again.",
                                      i + unsigned(p.firstVertex) + 1, file.c_str()));
            p.vertices.push_back(v);
            out.shape_.vertices.push_back(v);
        }
        const bool uv = mesh.HasTextureCoords(0);
        for (unsigned i = 0; i < mesh.mNumFaces; ++i) {
            const aiFace& f = mesh.mFaces[i];
            if (f.mNumIndices < 3) continue;
            out.shape_.counts.push_back(int(f.mNumIndices));
            out.shape_.material.push_back(int(mesh.mMaterialIndex));
            for (unsigned k = 0; k < f.mNumIndices; ++k) {
                out.shape_.corners.push_back(p.firstVertex + int(f.mIndices[k]));
                const aiVector3D t = uv ? mesh.mTextureCoords[0][f.mIndices[k]] : aiVector3D();
                out.shape_.uv.emplace_back(std::isfinite(t.x) ? t.x : 0, std::isfinite(t.y) ? t.y : 0);
            }
        }
        out.parts_.push_back(std::move(p));
        meshOfPart.push_back(&mesh);
    }
    std::vector<const aiMesh*> meshOfPart;

    void bones() {
        for (size_t i = 0; i < out.parts_.size(); ++i)
            for (unsigned b = 0; b < meshOfPart[i]->mNumBones; ++b) {
                const aiBone& bone = *meshOfPart[i]->mBones[b];
                const auto node = nodeNamed.find(bone.mName.C_Str());
                if (node == nodeNamed.end()) continue;
                MeshFile::Part::Pull pull{node->second, matrixOf(bone.mOffsetMatrix), {}};
                for (unsigned w = 0; w < bone.mNumWeights; ++w)
                    if (bone.mWeights[w].mVertexId < meshOfPart[i]->mNumVertices)
                        pull.weights.emplace_back(int(bone.mWeights[w].mVertexId), bone.mWeights[w].mWeight);
                out.parts_[i].bones.push_back(std::move(pull));
            }
    }

    void animation() {
        if (scene.mNumAnimations == 0) return;
        const aiAnimation& a = *scene.mAnimations[0];
        const double perSecond = a.mTicksPerSecond > 0 ? a.mTicksPerSecond : 1000;
        for (unsigned c = 0; c < a.mNumChannels; ++c) {
            const aiNodeAnim& channel = *a.mChannels[c];
            const auto at = nodeNamed.find(channel.mNodeName.C_Str());
            if (at == nodeNamed.end()) continue;
            MeshFile::Node& node = out.nodes_[size_t(at->second)];
            const auto seconds = [&](double ticks) {
                out.duration_ = std::max(out.duration_, ticks / perSecond);
                return ticks / perSecond;
            };
            for (unsigned i = 0; i < channel.mNumPositionKeys; ++i)
                node.positions.emplace_back(seconds(channel.mPositionKeys[i].mTime),
                                            vectorOf(channel.mPositionKeys[i].mValue));
            for (unsigned i = 0; i < channel.mNumScalingKeys; ++i)
                node.scales.emplace_back(seconds(channel.mScalingKeys[i].mTime),
                                         vectorOf(channel.mScalingKeys[i].mValue));
            for (unsigned i = 0; i < channel.mNumRotationKeys; ++i) {
                const aiQuaternion& q = channel.mRotationKeys[i].mValue;
                node.rotations.emplace_back(seconds(channel.mRotationKeys[i].mTime),
                                            Eigen::Quaterniond(q.w, q.x, q.y, q.z).normalized());
            }
        }
    }

    void materials() {
        const std::filesystem::path folder = std::filesystem::path(file).parent_path();
        for (unsigned i = 0; i < scene.mNumMaterials; ++i) {
            const aiMaterial& m = *scene.mMaterials[i];
            Material to;
            aiColor4D colour;
            float number = 0;
            aiString name;
            if (m.Get(AI_MATKEY_BASE_COLOR, colour) == AI_SUCCESS ||
                m.Get(AI_MATKEY_COLOR_DIFFUSE, colour) == AI_SUCCESS)
                to.colour = Eigen::Vector4d(colour.r, colour.g, colour.b, colour.a).cwiseMax(0.0).cwiseMin(1.0);
            // A material that the reader put in where the file has none says nothing.
            if (m.Get(AI_MATKEY_NAME, name) == AI_SUCCESS && name == aiString(AI_DEFAULT_MATERIAL_NAME))
                to.colour.reset();
            if (m.Get(AI_MATKEY_OPACITY, number) == AI_SUCCESS && to.colour && number < 1 && number > 0)
                to.colour->w() = number;
            if (m.Get(AI_MATKEY_ROUGHNESS_FACTOR, number) == AI_SUCCESS) to.roughness = std::clamp(number, 0.0F, 1.0F);
            if (m.Get(AI_MATKEY_METALLIC_FACTOR, number) == AI_SUCCESS) to.metalness = std::clamp(number, 0.0F, 1.0F);
            if (m.GetTexture(aiTextureType_BASE_COLOR, 0, &name) == AI_SUCCESS ||
                m.GetTexture(aiTextureType_DIFFUSE, 0, &name) == AI_SUCCESS)
                to.picture = pictureOf(name, folder);
            out.shape_.materials.push_back(std::move(to));
        }
        if (missing.empty()) return;
        std::string list;
        for (const std::string& m : missing) list += (list.empty() ? "" : ", ") + m;
        out.note = text(
            "\"%s\" is shown without its pictures: %s %s not there. Put the files beside it, then open the "
            "project again.",
            std::filesystem::path(file).filename().c_str(), list.c_str(), missing.size() == 1 ? "is" : "are");
    }

    std::string pictureOf(const aiString& name, const std::filesystem::path& folder) {
        if (const aiTexture* within = scene.GetEmbeddedTexture(name.C_Str()); within && within->mHeight == 0) {
            const auto* bytes = reinterpret_cast<const unsigned char*>(within->pcData);
            out.pictures.emplace_back(bytes, bytes + within->mWidth);
            return formatted("%s*%zu", file.c_str(), out.pictures.size() - 1);
        }
        std::string plain = name.C_Str();
        std::replace(plain.begin(), plain.end(), '\\', '/');
        std::error_code code;
        for (const auto& there : {folder / plain, folder / std::filesystem::path(plain).filename()})
            if (std::filesystem::is_regular_file(there, code)) return there.string();
        missing.push_back(plain);
        return {};
    }
};

namespace {

/// "crate.0007.obj" and those after it, in order; just the file where it stands alone. Fewer than three digits may be
/// part of a name: "crate2.obj" is a crate.
std::vector<std::string> seriesOf(const std::string& file) {
    const std::filesystem::path path(file);
    const std::string stem = path.stem().string();
    size_t digits = 0;
    while (digits < stem.size() && std::isdigit(static_cast<unsigned char>(stem[stem.size() - 1 - digits]))) ++digits;
    if (digits < 3) return {file};
    const std::string head = stem.substr(0, stem.size() - digits);
    std::map<long, std::string> found;
    std::error_code code;
    for (const auto& e : std::filesystem::directory_iterator(
             path.has_parent_path() ? path.parent_path() : std::filesystem::path("."), code)) {
        const std::string other = e.path().stem().string();
        if (e.path().extension() != path.extension() || !other.starts_with(head) || other.size() != stem.size())
            continue;
        const std::string number = other.substr(head.size());
        if (number.size() < 10 &&
            std::all_of(number.begin(), number.end(), [](unsigned char c) { return std::isdigit(c); }))
            found[std::stol(number)] = (path.parent_path() / e.path().filename()).string();
    }
    std::vector<std::string> out;
    for (auto at = found.lower_bound(std::stol(stem.substr(head.size()))); at != found.end(); ++at)
        out.push_back(at->second);
    return out.empty() ? std::vector<std::string>{file} : out;
}

std::string endingOf(const std::string& file) {
    std::string ending = std::filesystem::path(file).extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(), [](unsigned char c) { return char(std::tolower(c)); });
    return ending;
}

}  // namespace

std::shared_ptr<const MeshFile> readMesh(const std::string& file) {
    const std::string ending = endingOf(file);
    if (std::string(meshEndings).find("*" + ending) == std::string::npos || ending.empty())
        throw InputError(text("\"%s\" is no mesh that can be read. Use OBJ, glTF, PLY, STL or COLLADA.", file.c_str()));
    std::error_code code;
    if (!std::filesystem::is_regular_file(file, code))
        throw InputError(text("\"%s\" is not there. Put the file back, or choose another.", file.c_str()));
    checkHeader(file, ending);
    Assimp::Importer importer;
    importer.SetPropertyInteger(AI_CONFIG_PP_SBP_REMOVE, aiPrimitiveType_POINT | aiPrimitiveType_LINE);
    const aiScene* scene =
        importer.ReadFile(file, aiProcess_SortByPType | aiProcess_Triangulate | aiProcess_JoinIdenticalVertices);
    if (!scene || !scene->mRootNode) {
        const std::string why = importer.GetErrorString();
        throw InputError(text("\"%s\" is damaged or has no faces: it can't be read as a mesh. Export it again, with "
                              "faces.",
                              file.c_str()),
                         why);
    }
    auto out = std::make_shared<MeshFile>();
    MeshReading reading{file, *scene, *out, {}, {}, {}};
    reading.nodes(*scene->mRootNode, -1);
    if (out->shape_.counts.empty())
        throw InputError(
            text("\"%s\" has no faces. Export the mesh with its faces; points and lines alone are not "
                 "shown.",
                 file.c_str()));
    if (double(out->shape_.counts.size()) > mostTriangles) tooLarge(file, double(out->shape_.counts.size()));
    reading.bones();
    reading.animation();
    reading.materials();
    out->shape_.vertices = out->verticesAt(0);
    if (ending == ".gltf" || ending == ".glb" || ending == ".dae") out->metresPerUnit = 1;
    // Frame for frame: every file of a series must be a mesh, its shape may differ in all.
    if (const std::vector<std::string> series = ending == ".obj" ? seriesOf(file) : std::vector<std::string>();
        series.size() > 1) {
        out->series_.push_back(out->shape_);
        double triangles = double(out->shape_.counts.size());
        for (size_t i = 1; i < series.size(); ++i) {
            Assimp::Importer next;
            next.SetPropertyInteger(AI_CONFIG_PP_SBP_REMOVE, aiPrimitiveType_POINT | aiPrimitiveType_LINE);
            const aiScene* s = next.ReadFile(
                series[i], aiProcess_SortByPType | aiProcess_Triangulate | aiProcess_JoinIdenticalVertices);
            if (!s || !s->mRootNode)
                throw InputError(text("\"%s\" of a series of meshes is damaged. Export it again.", series[i].c_str()),
                                 next.GetErrorString());
            MeshFile frame;
            MeshReading r{series[i], *s, frame, {}, {}, {}};
            r.nodes(*s->mRootNode, -1);
            r.materials();
            frame.shape_.vertices = frame.verticesAt(0);
            triangles += double(frame.shape_.counts.size());
            if (triangles > mostTriangles) tooLarge(file, triangles);
            out->series_.push_back(std::move(frame.shape_));
        }
    }
    return out;
}

std::vector<Eigen::Vector3d> MeshFile::verticesAt(double seconds) const {
    std::vector<Eigen::Matrix4d> world(nodes_.size());
    for (size_t i = 0; i < nodes_.size(); ++i) {
        const Node& n = nodes_[i];
        Eigen::Matrix4d local = n.local;
        if (!n.positions.empty() || !n.rotations.empty() || !n.scales.empty()) {
            const auto line = [](const Eigen::Vector3d& a, const Eigen::Vector3d& b, double t) {
                return Eigen::Vector3d(a + t * (b - a));
            };
            // What has no keys of its own stays as the node's own transform has it.
            Eigen::Affine3d own(n.local);
            Eigen::Matrix3d turn, stretch;
            own.computeRotationScaling(&turn, &stretch);
            if (!n.rotations.empty())
                turn = keyedValue(n.rotations, seconds, [](const auto& a, const auto& b, double t) {
                           return a.slerp(t, b);
                       }).toRotationMatrix();
            if (!n.scales.empty()) stretch = keyedValue(n.scales, seconds, line).asDiagonal();
            local.topLeftCorner<3, 3>() = turn * stretch;
            if (!n.positions.empty()) local.topRightCorner<3, 1>() = keyedValue(n.positions, seconds, line);
        }
        world[i] = n.parent < 0 ? local : Eigen::Matrix4d(world[size_t(n.parent)] * local);
    }
    std::vector<Eigen::Vector3d> out(shape_.vertices.size());
    for (const Part& p : parts_) {
        const auto place = [&](const Eigen::Matrix4d& m, size_t i) -> Eigen::Vector3d {
            return (m * p.vertices[i].homogeneous()).head<3>();
        };
        const auto first = size_t(p.firstVertex);
        if (p.bones.empty()) {
            for (size_t i = 0; i < p.vertices.size(); ++i) out[first + i] = place(world[size_t(p.node)], i);
            continue;
        }
        std::vector<double> total(p.vertices.size(), 0.0);
        for (size_t i = 0; i < p.vertices.size(); ++i) out[first + i].setZero();
        for (const Part::Pull& b : p.bones) {
            const Eigen::Matrix4d m = world[size_t(b.node)] * b.boneFromMesh;
            for (const auto& [v, share] : b.weights) {
                out[first + size_t(v)] += share * place(m, size_t(v));
                total[size_t(v)] += share;
            }
        }
        for (size_t i = 0; i < p.vertices.size(); ++i)
            out[first + i] =
                total[i] > 1e-6 ? Eigen::Vector3d(out[first + i] / total[i]) : place(world[size_t(p.node)], i);
    }
    return out;
}

Shape MeshFile::at(double frame, double rate, bool loop) const {
    if (series_.size() > 1) {
        const auto n = double(series_.size());
        double i = std::floor(frame + 1e-9);
        if (loop) i -= n * std::floor(i / n);
        return series_[size_t(std::clamp(i, 0.0, n - 1))];
    }
    Shape out = shape_;
    if (duration_ > 0) {
        double s = std::max(0.0, frame / std::max(1e-6, rate));
        s = loop ? std::fmod(s, duration_) : std::min(s, duration_);
        out.vertices = verticesAt(s);
    }
    return out;
}

Arrival arrivalOf(const MeshFile& mesh, bool metric, double view) {
    const auto [low, high] = mesh.shape().bounds();
    const double extent = (high - low).maxCoeff();
    Arrival out;
    if (!(extent > 0) || !(view > 0)) return out;
    if (mesh.metresPerUnit && metric) {
        out.size = out.asGiven = *mesh.metresPerUnit;
        out.words = text("The file is in metres: the mesh is %.3g m large.", extent * out.size);
        return out;
    }
    const double share = extent / view;
    const char* unit = metric ? "m" : "units";
    if (share >= 0.01 && share <= 1) {
        out.words = text("The file does not say its units: the mesh is taken as %.3g %s large.", extent, unit);
        if (mesh.metresPerUnit)
            out.words = text("The scene has no scale yet: the mesh is taken as %.3g %s large.", extent, unit);
        return out;
    }
    out.size = std::pow(10, std::round(std::log10(0.25 / share)));
    out.words = text("The mesh would be %.3g %s large, %s: it is shown at ×%g, %.3g %s large.", extent, unit,
                     share > 1 ? "beyond the picture" : "too small to be seen", out.size, extent * out.size, unit);
    return out;
}

Shape Mesh::shapeAt(double frame, double rate) const {
    const auto read = assets().mesh(file);
    if (!read) {
        // What can't be read keeps its place: a crossed box.
        Shape s;
        for (const double y : {0.0, 1.0})
            for (const double z : {-0.5, 0.5})
                for (const double x : {-0.5, 0.5}) s.vertices.emplace_back(size * Eigen::Vector3d(x, y, z));
        s.lines = {{0, 1}, {1, 3}, {3, 2}, {2, 0}, {4, 5}, {5, 7}, {7, 6}, {6, 4},
                   {0, 4}, {1, 5}, {2, 6}, {3, 7}, {0, 7}, {1, 6}, {2, 5}, {3, 4}};
        return s;
    }
    Shape s = read->moves() ? read->at(frame - start + offset, rate, after == 1) : read->shape();
    for (Eigen::Vector3d& v : s.vertices) v *= size;
    return s;
}

}  // namespace va
