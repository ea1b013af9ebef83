// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>

#include "media/plate_source.h"

namespace va {

/// A plate with a variable rate (PlateInfo::times) on an even grid of its rate: frame k shows the stored frame that is
/// nearest in time to k / rate after the first. Stored frames may be shown twice or left out; which one each frame
/// shows stands in PlateInfo::storedFrames.
std::unique_ptr<PlateSource> onEvenTimes(std::unique_ptr<PlateSource> stored);

}  // namespace va
