// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"
#include "shot/shot.h"

namespace va {

// The camera of one picture: a photo, or a frame of a shot that would not solve.

/// What the picture's metadata say of the focal length becomes a start value, where nothing is known of it yet.
Shot withMetadataFocal(const Shot& shot);

/// Finds straight lines in a frame and keeps those that lie along three directions at right angles; lines that were
/// found before go, drawn ones stay. Throws InputError (no picture) and Cancelled.
Shot withPhotoLines(const Shot& shot, int frame, Progress& progress);

/// The camera that the shot's lines, points and known numbers give, as the solve of its frame, and the world with it.
/// Where they give none the solve is empty and the sentence is in shot.photo.fit. Quick: for every move of the mouse.
Shot withPhotoMatched(const Shot& shot);

/// The same with the shot's reference stills joined: then there are points, and the ground is made from them. Throws
/// Cancelled.
Shot withPhotoMatched(const Shot& shot, Progress& progress);

/// The automatic match of one picture: metadata, lines, camera, reference stills, level. Lines that the artist drew are
/// taken instead of found ones. Throws InputError and Cancelled.
Shot matchedPhoto(const Shot& shot, int frame, Progress& progress);

}  // namespace va
