// SPDX-License-Identifier: GPL-3.0-or-later
// What we write, read by somebody else: Assimp for PLY, Eigen for the algebra of the matrices. OpenUSD is read in
// usd_reader.mjs.
#include <gtest/gtest.h>

#include <assimp/scene.h>
#include <assimp/Importer.hpp>
#include <filesystem>

#include "base/atomic_file.h"
#include "exchange/camera_json.h"
#include "exchange/ply.h"
#include "exchange/usda.h"
#include "solved_shot.h"

namespace va {
namespace {

TEST(OtherReaders, AssimpReadsTheCloud) {
    const SceneExport scene = gatherExport(test::makeSolvedShot(), "");
    const auto file = std::filesystem::temp_directory_path() / ("va-cloud-" + std::to_string(getpid()) + ".ply");
    writeFileAtomically(file, writePly(scene));
    Assimp::Importer importer;
    const aiScene* read = importer.ReadFile(file.string(), 0);
    ASSERT_NE(read, nullptr) << importer.GetErrorString();
    ASSERT_EQ(read->mNumMeshes, 1U);
    ASSERT_EQ(read->mMeshes[0]->mNumVertices, scene.points.size());
    for (size_t i = 0; i < scene.points.size(); ++i) {
        const aiVector3D& v = read->mMeshes[0]->mVertices[i];
        EXPECT_LT((Eigen::Vector3d(v.x, v.y, v.z) - scene.points[i].position).norm(),
                  1e-5 * (1 + scene.points[i].position.norm()));
    }
    std::filesystem::remove(file);
}

// Eigen's own transforms place a camera point in the world as our quaternion and position do.
TEST(OtherReaders, EigenAgreesOnPoses) {
    const SceneExport scene = readCameraJson(writeCameraJson(gatherExport(test::makeSolvedShot(), "")), "test");
    for (const auto& f : scene.frames) {
        Eigen::Isometry3d world = Eigen::Isometry3d::Identity();
        world.translate(f.pose.position);
        world.rotate(f.pose.worldFromCamera);
        const Eigen::Vector3d ahead = world * Eigen::Vector3d(0, 0, -3);
        const auto pixel = project(f.pose, scene.intrinsics(f), ahead);
        ASSERT_TRUE(pixel);
        EXPECT_LT((*pixel - scene.principalPoint).norm(), 1e-9);
        EXPECT_NEAR(f.pose.worldFromCamera.norm(), 1, 1e-9);
    }
}

}  // namespace
}  // namespace va
