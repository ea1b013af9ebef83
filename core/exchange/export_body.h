// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "exchange/foreign_scene.h"
#include "exchange/scene_export.h"

namespace va {

/// What of a scene has a place besides camera and cloud, in one list for formats that know no kinds of ours: things,
/// named planes, and movers with their points. Names are unlike each other.
struct ExportBody {
    std::string name;
    Shape shape;  ///< in its own axes; without faces a mark, or a mover's points
    Eigen::Vector4d colour{1, 1, 1, 1};
    bool mover = false;
    /// One a frame where it moves; one in all where it stands.
    std::vector<SceneExport::PlacedThing::Sample> samples;
    [[nodiscard]] bool moves() const { return samples.size() > 1; }
    [[nodiscard]] const SceneExport::PlacedThing::Sample& at(int frame) const;
};

std::vector<ExportBody> bodiesOf(const SceneExport& scene);

/// The colour of a face of a body with that material, or of the body itself.
Eigen::Vector4d colourOf(const ExportBody& body, size_t material);
/// Faces of one material as triangles, corners as positions in `shape.corners`.
std::vector<std::array<int, 3>> trianglesOf(const Shape& shape, size_t material);

/// The same scene in a frame whose middle is the principal point, for formats that know no offset of the film back: the
/// plate's pixel (0, 0) lies at `left`, `top` in it. Unchanged, with zeros, where it is there already to within a
/// thousandth of a px.
struct CentredFrame {
    double width = 0, height = 0, left = 0, top = 0;  ///< px, not whole
    double backWidthMm = 0, backHeightMm = 0;
    [[nodiscard]] bool larger() const { return left > 0 || top > 0; }
};
CentredFrame centredFrame(const SceneExport& scene);
/// What a person has to know about that frame; empty where it is the plate's own.
std::string wordsOf(const CentredFrame& frame, const SceneExport& scene);

/// What a reader of a whole file of ours would find: the same scene as any other reader sees it.
ForeignScene foreignFrom(const SceneExport& scene);

/// Film back of a scene's picture, mm.
double backHeightMm(const SceneExport& scene);

/// Whether a thing hangs on another one.
bool anyHangs(const SceneExport& scene);

}  // namespace va
