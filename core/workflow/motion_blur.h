// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"
#include "shot/shot.h"

namespace va {

/// Measures smeared frames anew along the solved camera's way (track/remeasure.h); the paths then stand for the
/// shutter's middle, and `blur` says how long it was open. Frames that were looked at before are left alone. A shot
/// without a solve comes back as it was, one without motion blur with its paths as they were. Throws InputError and
/// Cancelled.
Shot withSmearRemeasured(const Shot& shot, Progress& progress);

}  // namespace va
