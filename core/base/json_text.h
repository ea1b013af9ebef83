// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <string_view>

namespace va {

/// JSON as text. File names are bytes and need not be UTF-8, which JSON is: every byte of a string that is not part of
/// a well-formed character (RFC 3629) becomes the private-use character U+EF00 + byte, so that nothing is lost and
/// nothing fails. `indent` as in nlohmann::json::dump.
std::string dumpJson(const nlohmann::json& j, int indent = -1);
std::string dumpJson(const nlohmann::ordered_json& j, int indent = -1);

/// Turns those private-use characters in all strings back into the bytes that they stand for. `content` is the text
/// that `j` was parsed from: where it has none, nothing is walked.
void restoreBytes(nlohmann::json& j, std::string_view content);

}  // namespace va
