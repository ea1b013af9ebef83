// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "exchange/formats.h"

namespace va {

/// The scene as OpenUSD text (crate-free `.usda`, version 1.0; schemas UsdGeomCamera, UsdGeomPoints, UsdGeomCube,
/// UsdRenderSettings).
///
/// Things are transforms, each below the one that it hangs on, with its mesh in it; those that move have a sample a
/// frame.
///
/// World is Y up, one unit a metre when the scene is metric. The camera has one matrix a frame (time code = frame
/// number), its focal length and apertures in tenths of a scene unit as the schema has it when numbers are read as mm.
/// The stage holds range and rate; the exact rate, the picture size and the lens are repeated in customLayerData, since
/// OpenUSD has no place of its own for a fraction or for distortion. Frames without a camera get no sample, and are
/// listed there.
std::string writeUsda(const SceneExport& scene);

/// The same with the pictures of its materials, as files beside it.
OutFiles usdaFiles(const SceneExport& scene);

}  // namespace va
