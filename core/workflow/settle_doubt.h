// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include "base/progress.h"
#include "shot/shot.h"

namespace va {

/// Decides about points whose position depends on damaged pictures (WholeFrames). The shot was solved with them
/// counting for little, which gives a start even where hardly anything else is near the camera. They are then left out,
/// and the solve is brought up to date by `update`; where a path's whole stretch of doubtful points lies where that
/// solve puts it, it is as sure as any other from then on, and the others are gone for good. Paths that have fewer than
/// eight other points can't be told, and lose the doubtful ones.
///
/// Gives the shot back with the same paths where nothing is in doubt, where the solve has no depth, with or without the
/// doubtful points, and where most frames have hardly any others.
Shot withDoubtSettled(const Shot& shot, const std::function<Shot(const Shot&)>& update);

}  // namespace va
