// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <string>

namespace va {

/// A sentence or line with values in it, as printf writes them, of any length; the compiler checks that the values fit
/// the pattern. All that the core tells an artist goes through here, so that it can be translated by its pattern: no
/// sentence is put together from parts in any other way (tests/unit/sentences_test.cpp).
std::string text(const char* pattern, ...) __attribute__((format(printf, 1, 2)));

/// The same for what is written to files and read by programs: never translated.
std::string formatted(const char* pattern, ...) __attribute__((format(printf, 1, 2)));

/// A to Z as a to z; other bytes stay, whatever the locale.
std::string lowerCase(std::string word);

/// Gives a pattern in another language, or an empty string where it has none. Values may be in another order there, as
/// "%2$s". A pattern that asks for other values than the original is not used.
using PatternTranslator = std::function<std::string(const char* pattern)>;
/// Sets it for all threads; an empty one brings the original back. Not while other threads are in the core.
void setPatternTranslator(PatternTranslator translator);

}  // namespace va
