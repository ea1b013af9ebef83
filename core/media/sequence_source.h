// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "media/plate_locator.h"
#include "media/plate_source.h"

namespace va {

/// Opens numbered stills or a single photo. All headers are read, so that a still of another size is found now.
/// Throws InputError: not a picture, size changes (with the frame).
std::unique_ptr<PlateSource> openStills(const PlateLocation& location);

}  // namespace va
