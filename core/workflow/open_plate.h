// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"
#include "media/plate_source.h"
#include "shot/shot.h"

namespace va {

/// The shot's plate, read through the pictures that the match at work has read already. Throws as openPlate.
std::unique_ptr<PlateSource> openPlateOf(const Shot& shot, Progress* progress = nullptr);

}  // namespace va
