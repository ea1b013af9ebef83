// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "solve/solve_result.h"

namespace va {

/// Why a path is not used, as the part of a sentence that follows its name: "slides along an edge, or …".
std::string outlierWords(OutlierReason reason);

}  // namespace va
