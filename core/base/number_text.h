// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <charconv>
#include <cmath>
#include <optional>
#include <string>
#include <string_view>

namespace va {

/// Shortest text that reads back as the same number, with a point whatever the locale. Not for infinities and NaN.
template <class Number>
std::string exactText(Number v) {
    char digits[40];
    return {digits, std::to_chars(digits, digits + sizeof digits, v).ptr};
}

/// The number that a whole text is, whatever the locale; a plus sign and blanks around it are allowed. Nothing for
/// anything else, for infinities and NaN.
inline std::optional<double> numberFrom(std::string_view words) {
    const auto blank = [](char c) { return c == ' ' || c == '\t' || c == '\r'; };
    while (!words.empty() && blank(words.front())) words.remove_prefix(1);
    while (!words.empty() && blank(words.back())) words.remove_suffix(1);
    if (!words.empty() && words.front() == '+') words.remove_prefix(1);
    double v = 0;
    const auto [end, trouble] = std::from_chars(words.data(), words.data() + words.size(), v);
    if (trouble != std::errc() || end != words.data() + words.size() || !std::isfinite(v)) return std::nullopt;
    return v;
}

}  // namespace va
