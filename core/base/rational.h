// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>
#include <string>

namespace va {

/// An exact frame rate or ratio; 24000/1001 stays what it is. Always in lowest terms with a positive denominator.
struct Rational {
    int64_t num = 0;
    int64_t den = 1;

    [[nodiscard]] double value() const { return double(num) / double(den); }
    [[nodiscard]] bool positive() const { return num > 0 && den > 0; }
    /// "25", "23.976", at most three decimals: for labels, never for files.
    [[nodiscard]] std::string label() const;
    friend bool operator==(const Rational&, const Rational&) = default;
};

/// Lowest terms, positive denominator. A zero denominator gives 0/1.
Rational reduced(int64_t num, int64_t den);

/// Reads "25", "24000/1001", "23.976", "29.97", "59.94". The three decimal forms that the trade uses for n*1000/1001
/// become exact. Throws Error for anything else.
Rational parseRational(const std::string& text);

}  // namespace va
