// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/open_plate.h"

#include "media/kept_pictures.h"

namespace va {

std::unique_ptr<PlateSource> openPlateOf(const Shot& shot, Progress* progress) {
    return openPlateKept(shot.plateSpec, shot.overrides, shot.pictures.lock(), progress);
}

}  // namespace va
