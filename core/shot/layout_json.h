// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <nlohmann/json_fwd.hpp>

#include "shot/shot.h"

namespace va {

/// A thing in the project file: with its id and what it hangs on, its files relative to the project's folder.
nlohmann::json layoutThingJson(const Thing& thing, const std::filesystem::path& folder);
/// Reads it back; files made absolute. Throws as thingFrom().
Thing layoutThingFrom(const nlohmann::json& j, const std::filesystem::path& folder);

/// The camera layers. Angles in degrees. Throws as above.
nlohmann::json layersJson(const CameraLayers& layers);
CameraLayers layersFrom(const nlohmann::json& j);

}  // namespace va
