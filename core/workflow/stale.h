// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "shot/shot.h"

namespace va {

/// The one place where it is decided whether a result still belongs to its inputs.
struct Staleness {
    bool features = false;  ///< range, plate or mask changed since the paths were tracked
    bool solve = false;     ///< paths, lens or range changed since the solve
    bool exported = false;  ///< the scene changed since it was written
};

Staleness stalenessOf(const Shot& shot);

}  // namespace va
