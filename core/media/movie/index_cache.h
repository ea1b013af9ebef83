// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <optional>
#include <string>

#include "media/movie/movie_index.h"

namespace va {

/// Movie indices that took long to make, kept in the user's cache folder under the movie's fingerprint. A cache only:
/// a file that is missing, damaged, of another version, or that can't be written changes nothing but the time.

/// What tells this state of a file from others: size, time of change, first and last 64 kB, the stream asked for, and
/// the version of the demuxers. Empty where the file can't be read.
std::string fingerprintOfMovie(const std::string& path, int stream);

/// The cache folder: $XDG_CACHE_HOME or ~/.cache (freedesktop.org Base Directory Specification), in it
/// vivid-anchor/movies. Empty where neither is set.
std::filesystem::path movieCacheFolder();

std::optional<MovieIndex> indexFromCache(const std::string& fingerprint);
void indexToCache(const std::string& fingerprint, const MovieIndex& index);

}  // namespace va
