// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <nlohmann/json_fwd.hpp>

namespace va {

/// Brings a project of file version 3 or older to the keys and words of version 4, in place. Versions 3 and 4
/// changed names only (docs/formats.md lists them); newer files are left as they are.
void renameOlderKeys(nlohmann::json& project);

}  // namespace va
