// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/text.h"

#include <cctype>
#include <cstdarg>
#include <cstdio>
#include <cstdlib>
#include <map>

namespace va {
namespace {

PatternTranslator& translator() {
    static PatternTranslator one;
    return one;
}

/// The type that each value of a pattern has to have ("d", "zu", "s"), by its number. Flags, width and precision are
/// the translation's own affair. Empty where the pattern can't be read.
std::map<int, std::string> valuesOf(const std::string& pattern) {
    std::map<int, std::string> out;
    int next = 1;
    for (size_t i = 0; i < pattern.size(); ++i) {
        if (pattern[i] != '%') continue;
        if (++i < pattern.size() && pattern[i] == '%') continue;
        size_t end = i;
        int number = 0;
        while (end < pattern.size() && std::isdigit(static_cast<unsigned char>(pattern[end]))) ++end;
        if (end > i && end < pattern.size() && pattern[end] == '$') {
            number = std::atoi(pattern.substr(i, end - i).c_str());
            i = end + 1;
        }
        while (i < pattern.size() && std::string("-+ #0123456789.").find(pattern[i]) != std::string::npos) ++i;
        std::string type;
        while (i < pattern.size() && std::string("hljzt").find(pattern[i]) != std::string::npos) type += pattern[i++];
        // A width that is a value itself, and whatever is no conversion, is not read.
        if (i >= pattern.size() || !std::isalpha(static_cast<unsigned char>(pattern[i]))) return {{-1, {}}};
        // How a number is written, %g or %f, is free as well.
        const bool real = std::string("eEfFgG").find(pattern[i]) != std::string::npos;
        out[number > 0 ? number : next++] = type + (real ? 'g' : pattern[i]);
    }
    return out;
}

std::string translated(const char* pattern) {
    if (!translator()) return pattern;
    const std::string other = translator()(pattern);
    return other.empty() || valuesOf(other) != valuesOf(pattern) ? pattern : other;
}

std::string print(const char* pattern, va_list arguments) {
    va_list again;
    va_copy(again, arguments);
    const int length = std::vsnprintf(nullptr, 0, pattern, again);
    va_end(again);
    std::string out(length > 0 ? size_t(length) : 0, '\0');
    if (length > 0) std::vsnprintf(out.data(), out.size() + 1, pattern, arguments);
    return out;
}

}  // namespace

std::string text(const char* pattern, ...) {
    const std::string use = translated(pattern);
    va_list arguments;
    va_start(arguments, pattern);
    std::string out = print(use.c_str(), arguments);
    va_end(arguments);
    return out;
}

std::string formatted(const char* pattern, ...) {
    va_list arguments;
    va_start(arguments, pattern);
    std::string out = print(pattern, arguments);
    va_end(arguments);
    return out;
}

std::string lowerCase(std::string word) {
    for (char& c : word)
        if (c >= 'A' && c <= 'Z') c = char(c - 'A' + 'a');
    return word;
}

void setPatternTranslator(PatternTranslator other) { translator() = std::move(other); }

}  // namespace va
