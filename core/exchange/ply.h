// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "exchange/formats.h"

namespace va {

/// The point cloud as PLY 1.0, ASCII (Turk, "The PLY Polygon File Format", 1994): double x y z, int path id, float
/// error in px.
std::string writePly(const SceneExport& scene);

/// Points of what writePly writes. Throws InputError naming `source` otherwise.
std::vector<SceneExport::Point> readPly(const std::string& text, const std::string& source);

}  // namespace va
