// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/rational.h"

#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <numeric>

#include "base/error.h"
#include "base/text.h"

namespace va {

Rational reduced(int64_t num, int64_t den) {
    if (den == 0) return {0, 1};
    if (den < 0) num = -num, den = -den;
    const int64_t g = std::gcd(num, den);
    return g > 1 ? Rational{num / g, den / g} : Rational{num, den};
}

std::string Rational::label() const {
    char text[32];
    std::snprintf(text, sizeof text, "%.3f", value());
    std::string out = text;
    while (out.back() == '0') out.pop_back();
    if (out.back() == '.') out.pop_back();
    return out;
}

Rational parseRational(const std::string& written) {
    const auto fail = [&]() -> Rational {
        throw Error(
            text("\"%s\" is not a frame rate or ratio. Write it as 25, 23.976 or 24000/1001.", written.c_str()));
    };
    char* end = nullptr;
    const auto slash = written.find('/');
    if (slash != std::string::npos) {
        const long long num = std::strtoll(written.c_str(), &end, 10);
        if (end != written.c_str() + slash) return fail();
        const char* second = written.c_str() + slash + 1;
        const long long den = std::strtoll(second, &end, 10);
        if (end == second || *end != 0 || den <= 0 || num <= 0) return fail();
        return reduced(num, den);
    }
    const double value = std::strtod(written.c_str(), &end);
    if (end == written.c_str() || *end != 0 || !(value > 0) || value > 100000) return fail();
    const double times1001 = value * 1001 / 1000;
    if (std::fabs(value - std::round(value)) > 1e-9 && std::fabs(times1001 - std::round(times1001)) < 2e-3)
        return reduced(std::llround(times1001) * 1000, 1001);
    return reduced(std::llround(value * 1000000), 1000000);
}

}  // namespace va
