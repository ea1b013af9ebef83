// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>

#include "media/plate_source.h"

namespace va {

/// The first picture of a plate, before it is opened: no index is made, so it is there at once however long the movie
/// is. Something to look at, upright; its number and whether it counts as a frame are not known yet. Throws as
/// openPlate.
DisplayPicture firstPicture(const std::string& spec, std::optional<int> stream = std::nullopt);

}  // namespace va
