// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <nlohmann/json_fwd.hpp>

#include "shot/proof_spec.h"

namespace va {

/// What a proof goes by, as it stands in project files (docs/formats.md). Files are named from the folder where that
/// helps. What is missing has its default. Reading throws nlohmann::json::exception or InputError.
nlohmann::json proofJson(const ProofSpec& spec, const std::filesystem::path& folder);
ProofSpec proofFrom(const nlohmann::json& j, const std::filesystem::path& folder);

}  // namespace va
