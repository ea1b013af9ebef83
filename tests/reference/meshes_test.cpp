// SPDX-License-Identifier: GPL-3.0-or-later
// Meshes as files give them, against assimp's own count and bounds and the formulas of plain solids; what is wrong with
// files, in sentences.
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <gtest/gtest.h>

#include <assimp/Importer.hpp>
#include <filesystem>
#include <fstream>

#include "base/error.h"
#include "layout/assets.h"
#include "layout/mesh_file.h"
#include "layout/thing.h"

namespace va {
namespace {

namespace fs = std::filesystem;

class Meshes : public ::testing::Test {
  protected:
    void SetUp() override {
        folder = fs::temp_directory_path() / ("va_meshes_" + std::to_string(::getpid()));
        fs::create_directories(folder);
    }
    void TearDown() override { fs::remove_all(folder); }
    std::string write(const std::string& name, const std::string& content) const {
        std::ofstream(folder / name, std::ios::binary) << content;
        return (folder / name).string();
    }
    static std::string cube(double size) {
        std::string out = "# a cube on its base\n";
        for (int i = 0; i < 8; ++i)
            out += "v " + std::to_string(size * (i & 1)) + " " + std::to_string(size * (i >> 1 & 1)) + " " +
                   std::to_string(size * (i >> 2 & 1)) + "\n";
        return out + "f 1 3 4 2\nf 5 6 8 7\nf 1 2 6 5\nf 3 7 8 4\nf 1 5 7 3\nf 2 4 8 6\n";
    }
    static std::string refusal(const std::string& file) {
        try {
            (void)readMesh(file);
        } catch (const InputError& e) {
            return e.what();
        }
        return "read";
    }
    fs::path folder;
};

TEST_F(Meshes, ACubeHasItsVolumeAndBounds) {
    const auto mesh = readMesh(write("cube.obj", cube(0.5)));
    EXPECT_NEAR(volumeOf(mesh->shape()), 0.125, 1e-7);
    EXPECT_EQ(mesh->shape().triangles().size(), 12U);
    const auto [low, high] = mesh->shape().bounds();
    EXPECT_NEAR((high - low - Eigen::Vector3d(0.5, 0.5, 0.5)).norm(), 0, 1e-6);
    EXPECT_EQ(sharpEdges(mesh->shape()).size(), 12U) << "corners of a seam are one";
    EXPECT_FALSE(mesh->metresPerUnit);
    EXPECT_FALSE(mesh->moves());
}

TEST_F(Meshes, AFanInPly) {
    std::string ply =
        "ply\nformat ascii 1.0\nelement vertex 7\nproperty float x\nproperty float y\nproperty float z\n"
        "element face 6\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n";
    for (int i = 0; i < 6; ++i)
        ply += std::to_string(std::cos(i * M_PI / 3)) + " 0 " + std::to_string(-std::sin(i * M_PI / 3)) + "\n";
    for (int i = 0; i < 6; ++i) ply += "3 0 " + std::to_string(1 + i) + " " + std::to_string(1 + (i + 1) % 6) + "\n";
    const auto mesh = readMesh(write("fan.ply", ply));
    EXPECT_EQ(mesh->shape().faceCount(), 6U);
    double area = 0;
    const Shape& s = mesh->shape();
    for (const auto& [a, b, c] : s.triangles())
        area +=
            (s.vertices[size_t(b)] - s.vertices[size_t(a)]).cross(s.vertices[size_t(c)] - s.vertices[size_t(a)]).y() /
            2;
    EXPECT_NEAR(area, 1.5 * std::sqrt(3.0), 1e-5) << "a regular hexagon of side 1, seen from above";
}

TEST_F(Meshes, AGridOfAHundredThousandTrianglesAsAssimpSays) {
    std::string obj;
    const int n = 224;
    for (int z = 0; z < n; ++z)
        for (int x = 0; x < n; ++x)
            obj += "v " + std::to_string(x * 0.01) + " " +
                   std::to_string(0.05 * std::sin(x * 0.1) * std::cos(z * 0.13)) + " " + std::to_string(z * 0.01) +
                   "\n";
    for (int z = 0; z + 1 < n; ++z)
        for (int x = 0; x + 1 < n; ++x) {
            const int a = z * n + x + 1;
            obj += "f " + std::to_string(a) + " " + std::to_string(a + n) + " " + std::to_string(a + 1) + "\nf " +
                   std::to_string(a + 1) + " " + std::to_string(a + n) + " " + std::to_string(a + n + 1) + "\n";
        }
    const std::string file = write("grid.obj", obj);
    const auto mesh = readMesh(file);
    Assimp::Importer importer;
    const aiScene* scene = importer.ReadFile(file, aiProcess_Triangulate | aiProcess_GenBoundingBoxes);
    ASSERT_TRUE(scene);
    size_t faces = 0;
    for (unsigned i = 0; i < scene->mNumMeshes; ++i) faces += scene->mMeshes[i]->mNumFaces;
    EXPECT_EQ(mesh->shape().triangles().size(), faces);
    EXPECT_EQ(faces, size_t(2 * (n - 1) * (n - 1)));
    const auto [low, high] = mesh->shape().bounds();
    const aiAABB& box = scene->mMeshes[0]->mAABB;
    EXPECT_NEAR(low.y(), box.mMin.y, 1e-7);
    EXPECT_NEAR(high.x(), box.mMax.x, 1e-7);
}

// glTF 2.0, 3.5: units are metres; appendix and 5.19: factors of a material; 3.11: animation of a node's translation.
TEST_F(Meshes, GltfWithUnitsMaterialAndAnimation) {
    // Three corners, two times (0, 1 s) and two translations, little endian.
    const float values[] = {0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 1, 0, 0, 0, 2, 0, 0};
    std::string bytes(reinterpret_cast<const char*>(values), sizeof(values));
    write("gull.bin", bytes);
    const std::string file = write("gull.gltf", R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],
"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0},"material":0}]}],
"materials":[{"name":"paint","pbrMetallicRoughness":{"baseColorFactor":[0.8,0.25,0.1,1],"roughnessFactor":0.4,"metallicFactor":0.7,
"baseColorTexture":{"index":0}}}],"textures":[{"source":0}],"images":[{"uri":"gone.png"}],
"animations":[{"channels":[{"sampler":0,"target":{"node":0,"path":"translation"}}],"samplers":[{"input":1,"output":2,"interpolation":"LINEAR"}]}],
"buffers":[{"uri":"gull.bin","byteLength":68}],"bufferViews":[{"buffer":0,"byteOffset":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":8},{"buffer":0,"byteOffset":44,"byteLength":24}],
"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]},
{"bufferView":1,"componentType":5126,"count":2,"type":"SCALAR","min":[0],"max":[1]},{"bufferView":2,"componentType":5126,"count":2,"type":"VEC3"}]})");
    const auto mesh = readMesh(file);
    EXPECT_EQ(mesh->metresPerUnit, 1);
    ASSERT_FALSE(mesh->shape().materials.empty());
    const Material& m = mesh->shape().materials[size_t(mesh->shape().material[0])];
    ASSERT_TRUE(m.colour);
    EXPECT_NEAR((*m.colour - Eigen::Vector4d(0.8, 0.25, 0.1, 1)).norm(), 0, 1e-6);
    EXPECT_NEAR(m.roughness, 0.4, 1e-6);
    EXPECT_NEAR(m.metalness, 0.7, 1e-6);
    EXPECT_NE(mesh->note.find("gone.png is not there"), std::string::npos) << mesh->note;
    EXPECT_TRUE(mesh->moves());
    EXPECT_NEAR(mesh->seconds(), 1, 1e-6);
    EXPECT_NEAR(mesh->at(12, 24, false).vertices[0].x(), 1, 1e-6) << "half a second in";
    EXPECT_NEAR(mesh->at(240, 24, false).vertices[0].x(), 2, 1e-6) << "held";
    EXPECT_NEAR(mesh->at(30, 24, true).vertices[0].x(), 0.5, 1e-6) << "from the start again";
    // In a plate: from its start frame on, a quarter second of it left out.
    Mesh thing{file, 3, 1001, 6, 0};
    EXPECT_NEAR(thing.shapeAt(1001, 24).vertices[0].x(), 3 * 0.5, 1e-5);
    EXPECT_TRUE(changesShape(thing));
}

TEST_F(Meshes, ASeriesOfObjFilesIsAnAnimation) {
    for (int i = 0; i < 4; ++i)
        write("wave." + std::to_string(1001 + i) + ".obj",
              "v 0 0 0\nv 1 0 0\nv 0 " + std::to_string(1 + i) + " 0\nf 1 2 3\n");
    const auto mesh = readMesh((folder / "wave.1002.obj").string());
    EXPECT_EQ(mesh->frames(), 3) << "from the file that was chosen on";
    EXPECT_NEAR(mesh->at(0, 24, false).bounds().second.y(), 2, 1e-6);
    EXPECT_NEAR(mesh->at(9, 24, false).bounds().second.y(), 4, 1e-6);
    EXPECT_NEAR(mesh->at(4, 24, true).bounds().second.y(), 3, 1e-6);
    EXPECT_NEAR(mesh->at(-1, 24, true).bounds().second.y(), 4, 1e-6);
    write("crate1.obj", cube(1)), write("crate2.obj", cube(2));
    EXPECT_FALSE(readMesh((folder / "crate1.obj").string())->moves()) << "a name with a digit is no series";
}

TEST_F(Meshes, ArrivesAtASensibleSize) {
    const auto mesh = readMesh(write("cube.obj", cube(120)));
    const Arrival large = arrivalOf(*mesh, true, 8);
    EXPECT_NEAR(large.size, 0.01, 1e-12) << "centimetres, by its look";
    EXPECT_EQ(large.asGiven, 1);
    EXPECT_NE(large.words.find("×0.01"), std::string::npos) << large.words;
    EXPECT_NEAR(arrivalOf(*readMesh(write("small.obj", cube(0.002))), true, 8).size, 1000, 1e-9);
    EXPECT_EQ(arrivalOf(*readMesh(write("right.obj", cube(1.2))), true, 8).size, 1);
}

TEST_F(Meshes, WhatIsWrongIsSaid) {
    EXPECT_NE(refusal((folder / "none.obj").string()).find("not there"), std::string::npos);
    EXPECT_NE(refusal(write("hull.blob", "?")).find("no mesh that can be read"), std::string::npos);
    EXPECT_NE(refusal(write("points.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\n")).find("faces"), std::string::npos);
    EXPECT_NE(refusal(write("cut.gltf", "{\"asset\":")).find("damaged"), std::string::npos);
    EXPECT_NE(refusal(write("nan.ply",
                            "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\n"
                            "property float z\nelement face 1\nproperty list uchar int vertex_indices\n"
                            "end_header\n0 0 0\nnan 0 0\n0 1 0\n3 0 1 2\n"))
                  .find("no number"),
              std::string::npos);
    // Fifty million triangles, by the header alone: no memory is taken for them.
    std::string stl(80, ' ');
    const uint32_t count = 50000000;
    stl.append(reinterpret_cast<const char*>(&count), 4);
    stl.append(500, '\0');
    EXPECT_NE(refusal(write("large.stl", stl)).find("50 million triangles"), std::string::npos);
    EXPECT_NE(refusal(write("large.ply",
                            "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nelement face 50000000\n"))
                  .find("50 million triangles"),
              std::string::npos);
    for (const char* sentence : {"none.obj", "cut.gltf"})
        EXPECT_NE(refusal((folder / sentence).string()).find(folder.string()), std::string::npos) << "which file";
}

TEST_F(Meshes, AFileThatChangesIsReadAgain) {
    const std::string file = write("crate.obj", cube(1));
    const auto first = assets().mesh(file);
    ASSERT_TRUE(first);
    EXPECT_EQ(assets().mesh(file), first) << "kept";
    fs::remove(file);
    EXPECT_FALSE(shapeOf(Mesh{(folder / "gone.obj").string(), 1, 0, 0, 0}).vertices.empty()) << "it keeps its place";
    write("crate.obj", cube(2));
    fs::last_write_time(file, fs::last_write_time(file) + std::chrono::seconds(5));
    const auto second = assets().mesh(file);
    ASSERT_TRUE(second);
    EXPECT_NEAR(volumeOf(second->shape()), 8, 1e-5);
}

}  // namespace
}  // namespace va
