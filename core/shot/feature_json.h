// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <nlohmann/json_fwd.hpp>

#include "shot/shot.h"

namespace va {

inline constexpr const char* densityNames[] = {"few", "normal", "many"};
inline constexpr const char* careNames[] = {"quick", "careful"};
inline constexpr const char* modelNames[] = {"translation", "similarity", "affine"};
inline constexpr const char* pointOriginNames[] = {"tracked", "by_hand", "carried", "found_again"};

/// What belongs to features, as it stands in project files and path files (docs/formats.md). Reading throws
/// nlohmann::json::exception or InputError when a part is missing or wrong.
nlohmann::json pathJson(const Path& path);
Path pathFrom(const nlohmann::json& j);
nlohmann::json patchJson(const FlatPatch& patch);
FlatPatch patchFrom(const nlohmann::json& j);
nlohmann::json maskJson(const MaskShape& mask);
MaskShape maskFrom(const nlohmann::json& j);
nlohmann::json exclusionsJson(const Exclusions& exclusions);
Exclusions exclusionsFrom(const nlohmann::json& j);

}  // namespace va
