// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "exchange/foreign_scene.h"

namespace va {

/// Cameras, meshes and points of a glTF 2.0 file (binary, or text with its buffers beside it), whoever wrote it,
/// through assimp. Times are frames at the file's own rate: what its extras say, else the spacing of its keys. Throws
/// InputError naming `source`: cut off, or files named that lie outside of its folder.
ForeignScene readGltfScene(const std::string& content, const std::string& source);

}  // namespace va
