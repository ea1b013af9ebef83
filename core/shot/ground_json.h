// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <nlohmann/json.hpp>

#include "shot/shot.h"

namespace va {

/// The artist's ground choices as they stand in a project (docs/formats.md).
nlohmann::json groundJson(const GroundSpec& spec);
/// Reads them, and those of versions before 5. Throws InputError and json::exception.
GroundSpec groundFrom(const nlohmann::json& j);

nlohmann::json photoJson(const PhotoMatch& photo);
PhotoMatch photoFrom(const nlohmann::json& j);

nlohmann::json lineJson(const PictureLine& line);
PictureLine lineFrom(const nlohmann::json& j);

}  // namespace va
