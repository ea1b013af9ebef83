// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "media/plate_source.h"

namespace va {

/// Opens a movie with whatever the installed libav can decode. On opening, the packets are listed (not decoded), so
/// that every frame has an exact time stamp: frames are then found by stamp, never by guessing from the rate. Throws
/// InputError: not a movie, no video in it, no decoder for it, no readable frame.
std::unique_ptr<PlateSource> openMovie(const std::string& path);

}  // namespace va
