// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdarg>
#include <cstdio>
#include <string>

namespace va {

/// A sentence or line with values in it, as printf writes them, of any length; the compiler checks that the values fit
/// the pattern.
inline std::string text(const char* pattern, ...) __attribute__((format(printf, 1, 2)));
inline std::string text(const char* pattern, ...) {
    va_list arguments, again;
    va_start(arguments, pattern);
    va_copy(again, arguments);
    const int length = std::vsnprintf(nullptr, 0, pattern, arguments);
    va_end(arguments);
    std::string out(length > 0 ? size_t(length) : 0, '\0');
    if (length > 0) std::vsnprintf(out.data(), out.size() + 1, pattern, again);
    va_end(again);
    return out;
}

}  // namespace va
