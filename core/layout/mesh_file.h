// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Geometry>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "layout/shape.h"

namespace va {

/// Geometry as a file gives it, in the file's units, turned so that Y is up where the file says which way is.
///
/// Read through assimp: OBJ, glTF and GLB, PLY, STL, COLLADA. Base colours, roughness, metalness and base colour
/// pictures come along; lights, cameras, normals and shape keys are left out. Bodies that move, and skins that bones
/// move (linear blend skinning), are evaluated at any time.
class MeshFile {
  public:
    /// The first frame, or as it stands.
    [[nodiscard]] const Shape& shape() const { return shape_; }
    /// Whether it changes over time, by an animation of the file or as a numbered series.
    [[nodiscard]] bool moves() const { return series_.size() > 1 || duration_ > 0; }
    /// A series has frames, an animation seconds; 0 where there is no such thing.
    [[nodiscard]] int frames() const { return series_.size() > 1 ? int(series_.size()) : 0; }
    [[nodiscard]] double seconds() const { return duration_; }
    /// As it is some frames after its start, in a plate of some rate. Before its start it is the first frame; after its
    /// end the last one, or it goes on at the first.
    [[nodiscard]] Shape at(double frame, double rate, bool loop) const;

    std::optional<double> metresPerUnit;               ///< where the format or the file says so
    std::string note;                                  ///< a sentence on what could not be had; empty = all of it
    std::vector<std::vector<unsigned char>> pictures;  ///< files within the file

  private:
    friend std::shared_ptr<const MeshFile> readMesh(const std::string& file);
    friend struct MeshReading;
    struct Node {
        int parent = -1;
        Eigen::Matrix4d local = Eigen::Matrix4d::Identity();
        std::vector<std::pair<double, Eigen::Vector3d>> positions, scales;  ///< by seconds
        std::vector<std::pair<double, Eigen::Quaterniond>> rotations;
    };
    struct Part {
        int node = 0, firstVertex = 0;
        std::vector<Eigen::Vector3d> vertices;
        struct Pull {
            int node;
            Eigen::Matrix4d boneFromMesh;
            std::vector<std::pair<int, double>> weights;  ///< vertex and share
        };
        std::vector<Pull> bones;
    };
    [[nodiscard]] std::vector<Eigen::Vector3d> verticesAt(double seconds) const;

    Shape shape_;
    std::vector<Node> nodes_;
    std::vector<Part> parts_;
    double duration_ = 0;
    std::vector<Shape> series_;
};

/// Reads a file, or the numbered series of OBJ files that it belongs to. Throws InputError: not there, of no kind that
/// is read, damaged, without faces, with a vertex that is no number, of more than twenty million triangles.
std::shared_ptr<const MeshFile> readMesh(const std::string& file);

/// The endings that are read: "*.obj *.gltf …", for file dialogs.
inline constexpr const char* meshEndings = "*.obj *.gltf *.glb *.ply *.stl *.dae";

/// How a mesh of a size is brought into a scene: at its own units where it says them and the scene has metres;
/// otherwise as it is where it is as large as something that is seen there (a hundredth to the whole of `view`, the
/// height of what the picture shows at that distance), else by the power of ten that brings it nearest to a quarter of
/// that. What was done, in words.
struct Arrival {
    double size = 1;     ///< world units for one unit of the file
    double asGiven = 1;  ///< the same without scaling into view
    std::string words;
};
Arrival arrivalOf(const MeshFile& mesh, bool metric, double view);

}  // namespace va
