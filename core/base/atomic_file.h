// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <string_view>

namespace va {

/// Writes `content` to `path` so that the file holds either its old content or all of the new: into a neighbour first,
/// flushed to the disk, then renamed. Throws InputError with the reason (full disk, no permission); the old file stays.
void writeFileAtomically(const std::filesystem::path& path, std::string_view content);

/// The whole file. Throws InputError naming it if it can't be read.
std::string readFile(const std::filesystem::path& path);

}  // namespace va
