// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "exchange/scene_export.h"

namespace va {

/// All that leaves the house: gatherExport() with the solved movers, and the verdict on the solve. Throws Error when
/// there is no solve.
SceneExport gatherScene(const Shot& shot);

}  // namespace va
