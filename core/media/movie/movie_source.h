// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "media/plate_source.h"

namespace va {

/// Opens a movie with whatever the installed libav can decode; `stream` chooses among several moving pictures, else the
/// largest is taken. All packets are listed first (MovieIndex), so that every frame is known by the packet it comes
/// from. Throws InputError: not a movie, no video in it, no decoder for it, no readable frame.
std::unique_ptr<PlateSource> openMovie(const std::string& path, std::optional<int> stream = std::nullopt,
                                       Progress* progress = nullptr);

}  // namespace va
