// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "media/plate_locator.h"
#include "media/plate_source.h"

namespace va {

/// Opens numbered stills or a single photo. All headers are read: stills that can't be read, or of another size or
/// depth than most, are named in PlateInfo::damaged and left out. Throws InputError where none can be read.
std::unique_ptr<PlateSource> openStills(const PlateLocation& location);

}  // namespace va
