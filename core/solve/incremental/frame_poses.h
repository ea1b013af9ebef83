// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>

#include "solve/incremental/reconstruction.h"

namespace va {

/// Adds a frame by resection against the points it sees, starting from `near` if given; with a zoom several focal
/// lengths around the likely one are tried. False with fewer points than Observations::Fewest::seen or when fewer than
/// half of them agree. Rates are left as they were.
bool addFrame(Reconstruction& r, FrameIndex frame, uint64_t seed, const View* near = nullptr);

/// Whether what a frame sees holds its view: Observations::Fewest::seen observations in use, or three quarters of that
/// where they are at least half of all it sees. A frame may have been added by points that were set aside since, and
/// then stands anywhere.
[[nodiscard]] bool viewIsHeld(const Reconstruction& r, FrameIndex frame);

/// Fits every solved view to the points as they stand, with its own focal length where that is to be found, and row by
/// row with a rolling shutter. The same result on any number of threads.
void refinePoses(Reconstruction& r);

}  // namespace va
