// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>

namespace va {

/// A file's path as seen from a folder, with '/' on every system; the path itself where there is no such way or one of
/// both is empty.
inline std::string relativeTo(const std::string& file, const std::filesystem::path& folder) {
    if (folder.empty() || file.empty()) return file;
    std::error_code code;
    const auto relative = std::filesystem::proximate(std::filesystem::absolute(file, code),
                                                     std::filesystem::absolute(folder, code), code);
    return code ? file : relative.generic_string();
}

}  // namespace va
