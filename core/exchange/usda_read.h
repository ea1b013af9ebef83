// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "exchange/foreign_scene.h"

namespace va {

/// The cameras, points, meshes and marks of an OpenUSD text layer, whoever wrote it: transforms by their op order (all
/// ops of UsdGeomXformable), sampled where anything above them has a sample. Files that it refers to are not followed;
/// that is noted. Throws InputError naming `source`.
ForeignScene readUsdaScene(const std::string& content, const std::string& source);

}  // namespace va
