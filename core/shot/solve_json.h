// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <nlohmann/json_fwd.hpp>

#include "shot/shot.h"

namespace va {

/// What belongs to a solve, as it stands in project files (docs/formats.md). Reading throws nlohmann::json::exception
/// or InputError when a part is missing or wrong.
nlohmann::json solveJson(const SolveResult& result);
SolveResult solveFrom(const nlohmann::json& j);
nlohmann::json checkPointJson(const CheckPoint& point);
CheckPoint checkPointFrom(const nlohmann::json& j);
nlohmann::json pathEditJson(const PathEdit& edit);
PathEdit pathEditFrom(const nlohmann::json& j);

inline constexpr const char* poseOriginNames[] = {"solved", "filled", "smoothed", "turned"};
inline constexpr const char* measureNames[] = {"position", "distance", "flat", "level", "right_angle"};

}  // namespace va
