// SPDX-License-Identifier: GPL-3.0-or-later
// Scenes that we write, read by libraries of others (assimp, tinygltf), and projected through the cameras found there.
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <gtest/gtest.h>
#include <tiny_gltf.h>

#include <assimp/Importer.hpp>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <numbers>

#include "exchange/verify.h"
#include "solved_shot.h"
#include "workflow/gather_scene.h"

namespace va {
namespace {

namespace fs = std::filesystem;

class SceneReaders : public ::testing::Test {
  protected:
    void SetUp() override { fs::create_directories(folder_); }
    void TearDown() override { fs::remove_all(folder_); }
    static const SceneExport& scene() {
        static const SceneExport s = [] {
            SceneExport e = gatherScene(test::makeSolvedShot());
            e.lens = LensModel();
            return e;
        }();
        return s;
    }
    fs::path written(const ExportFormat& f) const {
        EXPECT_TRUE(exportAndVerify(scene(), f, folder_ / f.fileName).passed) << f.word;
        return folder_ / f.fileName;
    }
    fs::path folder_ = fs::temp_directory_path() / ("va-scenes-" + std::to_string(::getpid()));
};

/// assimp's tangent of half the angle across, of a camera that looks along its node's −Z.
double halfAcross(const aiCamera& c, const ExportFormat& format) {
    // Of glTF it gives, up to 5.2, the upright angle times the aspect as the one across.
    const auto aspect = double(c.mAspect), angle = double(c.mHorizontalFOV);
    return &format == &gltfFormat ? std::tan(angle / aspect / 2) * aspect : std::tan(angle / 2);
}
Eigen::Vector3d from(const aiVector3D& v) { return {double(v.x), double(v.y), double(v.z)}; }
Eigen::Quaterniond from(const aiQuaternion& q) {
    return Eigen::Quaterniond(double(q.w), double(q.x), double(q.y), double(q.z)).normalized();
}

/// Largest difference in px of the scene's points in a frame, seen through a camera by another reader.
double differencePx(const SceneExport& s, const SceneExport::Frame& f, const CameraPose& pose, double half,
                    int& count) {
    double worst = 0;
    for (const auto& p : s.points) {
        const auto ours = project(f.pose, s.intrinsics(f), p.position);
        if (!ours || ours->x() < 0 || ours->y() < 0 || ours->x() > s.width || ours->y() > s.height) continue;
        const Eigen::Vector3d c = pose.worldFromCamera.conjugate() * (p.position - pose.position);
        // Their picture plane is square to its middle.
        const double across = s.width / 2.0 / half;
        const Eigen::Vector2d theirs =
            Eigen::Vector2d(c.x() * across, -c.y() * across * s.pixelAspect) / -c.z() + s.principalPoint;
        worst = std::max(worst, (theirs - *ours).norm());
        ++count;
    }
    return worst;
}

/// Largest difference in px over all frames, by assimp. A COLLADA file's zoom is not read by it: only the first frame
/// counts then.
double differenceByAssimp(const SceneExport& s, const ExportFormat& format, const fs::path& file, int& count) {
    Assimp::Importer importer;
    const aiScene* read = importer.ReadFile(file.string(), 0);
    if (!read || read->mNumCameras == 0) return 1e9;
    double worst = 0;
    if (read->mNumCameras == s.frames.size()) {  // one a frame
        for (size_t i = 0; i < s.frames.size(); ++i) {
            const aiMatrix4x4& m = read->mRootNode->FindNode(read->mCameras[i]->mName)->mTransformation;
            aiVector3D scale, place;
            aiQuaternion turn;
            m.Decompose(scale, turn, place);
            worst = std::max(worst, differencePx(s, s.frames[i], {from(place), from(turn)},
                                                 halfAcross(*read->mCameras[i], format), count));
        }
        return worst;
    }
    const aiNodeAnim* channel = nullptr;
    for (unsigned a = 0; a < read->mNumAnimations; ++a)
        for (unsigned c = 0; c < read->mAnimations[a]->mNumChannels; ++c)
            if (read->mAnimations[a]->mChannels[c]->mNodeName == read->mCameras[0]->mName)
                channel = read->mAnimations[a]->mChannels[c];
    if (!channel || channel->mNumPositionKeys != s.frames.size()) return 1e9;
    const bool zooms = s.frames.front().focalPx != s.frames.back().focalPx;
    for (size_t i = 0; i < (zooms ? 1 : s.frames.size()); ++i)
        worst = std::max(worst,
                         differencePx(s, s.frames[i],
                                      {from(channel->mPositionKeys[i].mValue), from(channel->mRotationKeys[i].mValue)},
                                      halfAcross(*read->mCameras[0], format), count));
    return worst;
}

TEST_F(SceneReaders, AssimpProjectsGltfAndColladaAsWeDo) {
    for (const ExportFormat* format : {&gltfFormat, &colladaFormat}) {
        int count = 0;
        EXPECT_LE(differenceByAssimp(scene(), *format, written(*format), count), 0.01) << format->word;
        EXPECT_GT(count, 1000);
    }
}

Eigen::Vector3d vector3(const nlohmann::json& j) {
    return {j[0].get<double>(), j[1].get<double>(), j[2].get<double>()};
}

/// The true camera of a demo clip, without its lens.
SceneExport trueScene(const fs::path& truth) {
    std::ifstream in(truth);
    const nlohmann::json j = nlohmann::json::parse(in);
    SceneExport s;
    s.width = j["image"]["width"], s.height = j["image"]["height"], s.pixelAspect = j["image"]["pixel_aspect"];
    s.rate = {j["frame_rate"]["num"], j["frame_rate"]["den"]};
    s.metric = true;
    s.motion = "free";
    s.cameraPerFrame = true;  // where it zooms
    for (const auto& at : j["frames"]) {
        SceneExport::Frame& f = s.frames.emplace_back();
        f.frame = at["frame"], f.solved = true, f.focalPx = at["focal_px"];
        const auto& q = at["rotation"];
        f.pose.position = vector3(at["position"]);
        f.pose.worldFromCamera = Eigen::Quaterniond(q[0], q[1], q[2], q[3]).normalized();
        s.principalPoint = {at["principal_point_px"][0].get<double>(), at["principal_point_px"][1].get<double>()};
        s.sensorWidthMm = at["sensor_width_mm"];
    }
    s.plateFrames = {s.frames.front().frame, s.frames.back().frame};
    for (const auto& p : j["points"]) s.points.push_back({int(s.points.size()) + 1, "", vector3(p["position"]), 0});
    return s;
}

/// Every demo clip's camera and points, through each format that assimp reads.
TEST_F(SceneReaders, AssimpProjectsEveryClipAsWeDo) {
    int clips = 0;
    for (const auto& entry : fs::recursive_directory_iterator(fs::path(VA_SOURCE_DIR) / "demo" / "data")) {
        const std::string name = entry.path().filename().string();
        if (!name.ends_with(".truth.json") || name.find("stills") != std::string::npos ||
            name.find("chart") != std::string::npos)
            continue;
        const SceneExport s = trueScene(entry.path());
        ++clips;
        for (const ExportFormat* format : {&gltfFormat, &colladaFormat}) {
            const ExportCheck check = exportAndVerify(s, *format, folder_ / format->fileName);
            ASSERT_TRUE(check.passed) << name << " " << check.sentence;
            int count = 0;
            EXPECT_LE(differenceByAssimp(s, *format, check.file, count), 0.01) << name << " " << format->word;
            EXPECT_GT(count, 50) << name << " " << format->word;
        }
        for (const ExportFormat* format : {&objFormat, &plyFormat}) {
            ASSERT_TRUE(exportAndVerify(s, *format, folder_ / format->fileName).passed) << name;
            Assimp::Importer importer;
            const aiScene* read = importer.ReadFile((folder_ / format->fileName).string(), 0);
            ASSERT_NE(read, nullptr) << importer.GetErrorString();
            // The order stays: each stands where its own is, to a float's precision in px.
            double worst = 0;
            size_t at = 0;
            for (unsigned m = 0; m < read->mNumMeshes; ++m)
                for (unsigned v = 0; v < read->mMeshes[m]->mNumVertices && at < s.points.size(); ++v, ++at)
                    for (const auto& f : s.frames) {
                        const auto a = project(f.pose, s.intrinsics(f), s.points[at].position);
                        const auto b = project(f.pose, s.intrinsics(f), from(read->mMeshes[m]->mVertices[v]));
                        if (a && a->x() > 0 && a->y() > 0 && a->x() < s.width && a->y() < s.height)
                            worst = std::max(worst, b ? (*a - *b).norm() : 1e9);
                    }
            EXPECT_EQ(at, s.points.size()) << name << " " << format->word;
            EXPECT_LE(worst, 0.01) << name << " " << format->word;
        }
    }
    EXPECT_GE(clips, 9);
}

TEST_F(SceneReaders, TinygltfFindsTheSameScene) {
    tinygltf::TinyGLTF reader;
    tinygltf::Model model;
    std::string trouble, warning;
    ASSERT_TRUE(reader.LoadBinaryFromFile(&model, &trouble, &warning, written(gltfFormat).string())) << trouble;
    EXPECT_EQ(warning, "");
    ASSERT_EQ(model.cameras.size(), 1U);
    EXPECT_NEAR(model.cameras[0].perspective.yfov, 2 * std::atan(scene().height / 2.0 / scene().frames[0].focalPx),
                1e-12);
    EXPECT_NEAR(model.cameras[0].perspective.aspectRatio, double(scene().width) / scene().height, 1e-12);
    ASSERT_EQ(model.animations.size(), 1U);
    const auto& times = model.accessors[size_t(model.animations[0].samplers[0].input)];
    EXPECT_EQ(times.count, scene().frames.size());
    EXPECT_NEAR(times.maxValues[0], double(scene().frames.size() - 1) / scene().rate.value(), 1e-5);
}

TEST_F(SceneReaders, AssimpReadsTheObjCloudAndMeshes) {
    Assimp::Importer importer;
    const aiScene* read = importer.ReadFile(written(objFormat).string(), 0);
    ASSERT_NE(read, nullptr) << importer.GetErrorString();
    size_t points = 0;
    for (unsigned m = 0; m < read->mNumMeshes; ++m)
        if (read->mMeshes[m]->mPrimitiveTypes == aiPrimitiveType_POINT) points += read->mMeshes[m]->mNumVertices;
    EXPECT_EQ(points, scene().points.size());
}

TEST_F(SceneReaders, AssimpReadsThePlyMeshes) {
    SceneExport s = scene();
    SceneExport::PlacedThing box;
    box.id = 1, box.name = "crate", box.kind = Box(), box.position = {0.4, 0, -1};
    s.things.push_back(box);
    ASSERT_TRUE(exportAndVerify(s, plyFormat, folder_ / "cloud.ply").passed);
    Assimp::Importer importer;
    const aiScene* read = importer.ReadFile((folder_ / "cloud-things.ply").string(), 0);
    ASSERT_NE(read, nullptr) << importer.GetErrorString();
    size_t expected = 0, found = 0;
    for (const auto& t : s.things)
        for (const int corners : t.shape().counts) expected += size_t(corners) - 2;
    for (unsigned m = 0; m < read->mNumMeshes; ++m) found += read->mMeshes[m]->mNumFaces;
    EXPECT_GE(found, expected);
    EXPECT_GE(found, 12U) << "a box has six faces of two triangles each";
}

/// assimp's place of a camera in the world, and the tangent of half its angle across.
struct OtherCamera {
    Eigen::Vector3d position, ahead;
    double half = 0;
};
OtherCamera otherCamera(const aiScene& scene, const aiCamera& c, bool gltf) {
    aiMatrix4x4 world;
    for (const aiNode* n = scene.mRootNode->FindNode(c.mName); n; n = n->mParent) world = n->mTransformation * world;
    const auto at = [&](const aiVector3D& v) {
        const aiVector3D p = world * v;
        return Eigen::Vector3d(double(p.x), double(p.y), double(p.z));
    };
    OtherCamera out;
    // By glTF a camera stands in its node's origin and looks along its −Z.
    const aiVector3D eye = gltf ? aiVector3D(0, 0, 0) : c.mPosition, look = gltf ? aiVector3D(0, 0, -1) : c.mLookAt;
    out.position = at(eye);
    out.ahead = (at(eye + look) - out.position).normalized();
    const double angle = double(c.mHorizontalFOV), aspect = c.mAspect > 0 ? double(c.mAspect) : 1;
    out.half = gltf ? std::tan(angle / aspect / 2) * aspect : std::tan(angle / 2);
    return out;
}

// assimp's own test models (Debian's assimp-testmodels; among them Khronos' samples, and files broken on purpose): each
// is read, or refused with a sentence, and cameras stand where assimp has them.
TEST_F(SceneReaders, ModelsByOthersAreReadOrRefused) {
    const fs::path root = "/usr/share/assimp/models";
    ASSERT_TRUE(fs::is_directory(root)) << "the package assimp-testmodels is missing";
    int read = 0, refused = 0, cameras = 0;
    for (const auto& entry : fs::recursive_directory_iterator(root)) {
        const std::string ending = entry.path().extension().string();
        if (ending != ".glb" && ending != ".gltf" && ending != ".dae") continue;
        ForeignScene found;
        try {
            found = readScene(entry.path().string());
            ++read;
        } catch (const InputError& e) {
            EXPECT_GT(std::string(e.what()).size(), 20U) << entry.path();
            ++refused;
            continue;
        }
        Assimp::Importer importer;
        const aiScene* theirs = importer.ReadFile(entry.path().string(), 0);
        if (!theirs) continue;
        const ForeignScene ours = inOurAxes(found);
        for (const auto& c : ours.cameras)
            for (unsigned i = 0; i < theirs->mNumCameras; ++i) {
                if (theirs->mCameras[i]->mName != aiString(c.name) || theirs->mNumAnimations > 0) continue;
                // Where assimp did not read an angle it keeps a default, taken for degrees; and some of its names have
                // no node.
                const double unread = std::tan(std::numbers::pi / 4 * std::numbers::pi / 180 / 2);
                const OtherCamera other = otherCamera(*theirs, *theirs->mCameras[i], ending != ".dae");
                if (std::fabs(other.half - unread) < 1e-5 || other.position.isZero()) continue;
                const double size = 1 + other.position.norm();
                EXPECT_LT((c.frames[0].pose.position - other.position).norm(), 1e-4 * size)
                    << entry.path() << " " << c.name;
                EXPECT_LT((c.frames[0].pose.worldFromCamera * Eigen::Vector3d(0, 0, -1) - other.ahead).norm(), 1e-4)
                    << entry.path();
                EXPECT_NEAR(c.backWidthMm / 2 / c.frames[0].focalMm, other.half, 1e-4 * other.half)
                    << entry.path() << " " << c.name;
                ++cameras;
            }
    }
    std::printf("scenes by others: %d read, %d refused, %d cameras compared\n", read, refused, cameras);
    EXPECT_GE(read, 50);
    EXPECT_GE(refused, 5) << "some are broken on purpose";
    EXPECT_GE(cameras, 8);
}

}  // namespace
}  // namespace va
