// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <nlohmann/json_fwd.hpp>

#include "lens/lens_model.h"

namespace va {

/// A lens as it stands in files: { "model": "brown-conrady", "k1": …, … }, every number of the model by its name.
nlohmann::ordered_json lensToJson(const LensModel& lens);

/// The inverse. Numbers that are left out are 0, "model" is "brown-conrady" where it is left out. Throws InputError for
/// an unknown model, for a number that the model does not have or that is no finite number, and for a "lens" without
/// any number.
LensModel lensFromJson(const nlohmann::json& json);

}  // namespace va
