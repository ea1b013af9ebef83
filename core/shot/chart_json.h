// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <nlohmann/json_fwd.hpp>

#include "shot/shot.h"

namespace va {

/// What belongs to finding a lens, as it stands in project files (docs/formats.md). Reading throws
/// nlohmann::json::exception or InputError when a part is missing or wrong.
/// With the names that they have today.
std::vector<LensNumber> lensNumbersFromJson(const nlohmann::json& j);
nlohmann::json chartToJson(const ChartCalibration& chart);
ChartCalibration chartFromJson(const nlohmann::json& j);
nlohmann::json edgeToJson(const StraightEdge& edge);
StraightEdge edgeFromJson(const nlohmann::json& j);

}  // namespace va
