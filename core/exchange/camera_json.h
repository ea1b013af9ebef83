// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "exchange/formats.h"

namespace va {

/// The plain open camera file (docs/formats.md, "camera.json"): UTF-8 JSON, numbers in full precision.
std::string writeCameraJson(const SceneExport& scene);

/// Reads what writeCameraJson writes. Throws InputError naming `source` if it is something else.
SceneExport readCameraJson(const std::string& text, const std::string& source);

}  // namespace va
