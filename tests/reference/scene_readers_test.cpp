// SPDX-License-Identifier: GPL-3.0-or-later
// Scenes that we write, read by libraries of others (assimp, tinygltf), and projected through the cameras found there.
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <gtest/gtest.h>
#include <tiny_gltf.h>

#include <assimp/Importer.hpp>
#include <filesystem>
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

/// assimp's camera looks along its node's −Z here; its half angle is across.
TEST_F(SceneReaders, AssimpProjectsGltfAndColladaAsWeDo) {
    for (const ExportFormat* format : {&gltfFormat, &colladaFormat}) {
        Assimp::Importer importer;
        const aiScene* read = importer.ReadFile(written(*format).string(), 0);
        ASSERT_NE(read, nullptr) << importer.GetErrorString();
        ASSERT_EQ(read->mNumCameras, 1U) << format->word;
        double half = std::tan(double(read->mCameras[0]->mHorizontalFOV) / 2);
        // Of glTF it gives, up to 5.2, the upright angle times the aspect as the one across.
        const auto aspect = double(read->mCameras[0]->mAspect);
        if (format == &gltfFormat) half = std::tan(double(read->mCameras[0]->mHorizontalFOV) / aspect / 2) * aspect;
        EXPECT_NEAR(half, scene().width / 2.0 / scene().frames[0].focalPx, 1e-6 * half + 1e-7) << format->word;
        ASSERT_GE(read->mNumAnimations, 1U);
        const aiNodeAnim* channel = nullptr;
        for (unsigned a = 0; a < read->mNumAnimations; ++a)
            for (unsigned c = 0; c < read->mAnimations[a]->mNumChannels; ++c)
                if (read->mAnimations[a]->mChannels[c]->mNodeName == read->mCameras[0]->mName)
                    channel = read->mAnimations[a]->mChannels[c];
        ASSERT_NE(channel, nullptr) << format->word;
        ASSERT_EQ(channel->mNumPositionKeys, scene().frames.size()) << format->word;
        double worst = 0;
        int count = 0;
        for (size_t i = 0; i < scene().frames.size(); ++i) {
            const SceneExport::Frame& f = scene().frames[i];
            const aiVector3D& t = channel->mPositionKeys[i].mValue;
            const aiQuaternion& q = channel->mRotationKeys[i].mValue;
            const Eigen::Quaterniond turn =
                Eigen::Quaterniond(double(q.w), double(q.x), double(q.y), double(q.z)).normalized();
            for (const auto& p : scene().points) {
                const auto ours = project(f.pose, scene().intrinsics(f), p.position);
                if (!ours || ours->x() < 0 || ours->y() < 0 || ours->x() > scene().width || ours->y() > scene().height)
                    continue;
                const Eigen::Vector3d c =
                    turn.conjugate() * (p.position - Eigen::Vector3d(double(t.x), double(t.y), double(t.z)));
                // Their picture plane is square to its middle.
                const Eigen::Vector2d theirs =
                    Eigen::Vector2d(c.x(), -c.y()) / -c.z() * (scene().width / 2.0 / half) + scene().principalPoint;
                worst = std::max(worst, (theirs - *ours).norm());
                ++count;
            }
        }
        EXPECT_GT(count, 1000);
        EXPECT_LE(worst, 0.01) << format->word;
    }
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
