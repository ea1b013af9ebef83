// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <nlohmann/json_fwd.hpp>

#include "shot/shot.h"

namespace va {

/// A reference still as it stands in a project (docs/formats.md); its file is written relative to `folder`.
nlohmann::json stillJson(const ReferenceStill& still, const std::filesystem::path& folder);
ReferenceStill stillFrom(const nlohmann::json& j, const std::filesystem::path& folder);

/// What the solve made of one.
nlohmann::json solvedStillJson(const SolvedStill& still);
SolvedStill solvedStillFrom(const nlohmann::json& j);

}  // namespace va
