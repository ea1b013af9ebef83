// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "exchange/foreign_scene.h"

namespace va {

/// Cameras and meshes of a COLLADA 1.4.1 or 1.5 document, whoever wrote it: nodes with matrix, translate, rotate, scale
/// and lookat, animated as a whole or by part, angle of view animated as well; lines between keys are straight. Throws
/// InputError naming `source`.
ForeignScene readColladaScene(const std::string& content, const std::string& source);

}  // namespace va
