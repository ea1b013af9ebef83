// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <vector>

#include "base/plane.h"

namespace va {

/// Which parts of a whole picture depend on a damaged one, by squares of 16 px (the macroblock of H.264 and MPEG-2).
/// Such parts were coded as changes of what the decoder had to make up, and may show the scene where it is not.
struct DamageMask {
    static constexpr int side = 16;  ///< px
    int columns = 0, rows = 0;       ///< 0: nothing depends
    std::vector<uint8_t> depends;    ///< 1 where it does; rows from the top

    [[nodiscard]] bool empty() const { return depends.empty(); }
    /// Whether anything within `margin` px of a position depends. The position is in px of the upright picture;
    /// positions outside of it count as its border.
    [[nodiscard]] bool near(double x, double y, double margin) const {
        if (empty()) return false;
        const auto square = [](double v, int count) {
            return std::clamp(int(std::floor((v + 0.5) / side)), 0, count - 1);
        };
        const int right = square(x + margin, columns), below = square(y + margin, rows);
        for (int r = square(y - margin, rows); r <= below; ++r)
            for (int c = square(x - margin, columns); c <= right; ++c)
                if (depends[size_t(r) * size_t(columns) + size_t(c)]) return true;
        return false;
    }

    /// Share of the picture that depends, 0..1.
    [[nodiscard]] double share() const {
        const auto n = std::count(depends.begin(), depends.end(), uint8_t(1));
        return empty() ? 0 : double(n) / double(depends.size());
    }

    /// All of a picture.
    static DamageMask all(int width, int height) {
        DamageMask m;
        m.columns = (width + side - 1) / side;
        m.rows = (height + side - 1) / side;
        m.depends.assign(size_t(m.columns) * size_t(m.rows), 1);
        return m;
    }
    /// Where two pictures of one size differ by more than `level`. Empty where they do so nowhere.
    static DamageMask ofDifference(const Luma& a, const Luma& b, float level) {
        DamageMask m = all(a.width, a.height);
        std::fill(m.depends.begin(), m.depends.end(), uint8_t(0));
        bool any = false;
        for (int y = 0; y < a.height; ++y) {
            uint8_t* out = m.depends.data() + size_t(y / side) * size_t(m.columns);
            const float *p = a.row(y), *q = b.row(y);
            for (int x = 0; x < a.width; ++x)
                if (std::abs(p[x] - q[x]) > level) out[x / side] = 1, any = true;
        }
        return any ? m : DamageMask();
    }
};

}  // namespace va
