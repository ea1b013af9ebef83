// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>

#include "shot/shot.h"

namespace va {

inline constexpr int shotFileVersion = 7;

/// Writes the shot as JSON (docs/formats.md), atomically. The plate's path is stored relative to the file where
/// possible, so that folder and project can move together. Throws InputError on a full disk or a folder that can't be
/// written to; an older file stays. `place` is the folder that the file will be moved to, where it is another.
void writeShot(const Shot& shot, const std::filesystem::path& file, const std::filesystem::path& place = {});

/// Reads a shot; `file` only serves to make paths absolute and to name it in errors. The plate itself is not opened: a
/// missing plate loses nothing. Throws InputError: not a project, cut off, or written by a newer version.
Shot readShot(const std::filesystem::path& file);

/// The same from and to text, for autosave and tests.
std::string shotToText(const Shot& shot, const std::filesystem::path& folder);
Shot shotFromText(const std::string& text, const std::filesystem::path& file);

}  // namespace va
