// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <nlohmann/json_fwd.hpp>

namespace va {

/// Brings a project of file version 2 or older to the keys and words of version 3, in place. Version 3 changed names
/// only (docs/formats.md lists them); newer files are left as they are.
void renameOlderKeys(nlohmann::json& project);

}  // namespace va
