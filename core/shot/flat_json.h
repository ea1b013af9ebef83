// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <nlohmann/json.hpp>

#include "lens/lens_numbers.h"
#include "media/plate_source.h"
#include "media/plate_watch.h"

namespace va {

// Structs that stand in a project member by member, under the members' own names. All others have words of their own
// for files (docs/formats.md), and a pair of functions.
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(FrameDamage, frame, cause)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(PlateFindings, cuts, duplicates, black, dependent, interlaced)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(LensNumber, name, value, sigma)

}  // namespace va
