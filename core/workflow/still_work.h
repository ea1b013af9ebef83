// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "base/progress.h"
#include "shot/shot.h"
#include "solve/still_views.h"

namespace va {

// Reference stills: photos of the same place that join the solve with lenses of their own.

/// Adds a photo, with the focal length of its metadata. One that is there already is not added again. Throws
/// InputError: unreadable, no picture.
Shot withStill(const Shot& shot, const std::string& file);

/// Looks for features that shot and stills have in common (picture_match.h) in up to eight frames. Each becomes a
/// path, tracked through the range from that frame, and gets marks in the stills, registered with the frame's patch.
/// Marks that were found before go, with the paths that were made for them; marks by hand stay. Throws InputError (no
/// picture) and Cancelled.
Shot withStillMatches(const Shot& shot, Progress& progress);

/// Whether a still that is on has no marks yet.
bool stillsWantMatches(const Shot& shot);

/// What the solve is asked to join, and how far it knows the shot's focal length.
std::vector<StillRequest> stillRequests(const Shot& shot);
ShotFocal shotFocalFor(const Shot& shot, const SolveResult& solve);

/// One line on a still: its marks, camera and error, or what is wrong and what to try.
std::string stillVerdict(const Shot& shot, const ReferenceStill& still);

}  // namespace va
