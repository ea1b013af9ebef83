// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/bundle/rank_update.h"

#include <algorithm>
#include <cstring>

#include "base/cpu_clones.h"

namespace va {
namespace {

using Quad = double __attribute__((vector_size(32)));
#define VA_INLINE inline __attribute__((always_inline))
constexpr int wide = PackedRows::wide;

VA_INLINE void load(Quad& q, const double* p) { std::memcpy(&q, p, sizeof q); }

/// Rows of C in eight columns: the sums stay in registers over the whole depth. `left` are the rows' numbers in Y,
/// `right` the columns'; both step by eight.
template <int Rows>
VA_INLINE void tile(double* c, std::ptrdiff_t cStride, const double* left, const double* right, int depth) {
    Quad sum[Rows][2] = {};
    for (int k = 0; k < depth; ++k, left += wide, right += wide) {
        Quad a, b;
        load(a, right), load(b, right + 4);
        for (int r = 0; r < Rows; ++r) {
            const double by = left[r];
            sum[r][0] += by * a;
            sum[r][1] += by * b;
        }
    }
    for (int r = 0; r < Rows; ++r, c += cStride) {
        Quad a, b;
        load(a, c), load(b, c + 4);
        a -= sum[r][0], b -= sum[r][1];
        std::memcpy(c, &a, sizeof a);
        std::memcpy(c + 4, &b, sizeof b);
    }
}

template <int Rows>
VA_INLINE void rowsOf(double* c, std::ptrdiff_t cStride, const double* y, int depth, int i) {
    const std::ptrdiff_t block = std::ptrdiff_t(depth) * wide;
    const double* left = y + (i / wide) * block + i % wide;
    for (int j = 0; j < i + Rows; j += wide)
        tile<Rows>(c + i * cStride + j, cStride, left, y + (j / wide) * block, depth);
}

}  // namespace

VA_CPU_CLONES
void subtractProduct(double* c, std::ptrdiff_t cStride, const PackedRows& packed, int rowBegin, int rowEnd) {
    const double* y = packed.data();
    const int depth = packed.rows();
    for (int i = rowBegin; i < rowEnd;) {
        // Four rows at a time that stand in one block of eight.
        const int rows = std::min({4, rowEnd - i, 4 - i % 4});
        switch (rows) {
            case 4: rowsOf<4>(c, cStride, y, depth, i); break;
            case 3: rowsOf<3>(c, cStride, y, depth, i); break;
            case 2: rowsOf<2>(c, cStride, y, depth, i); break;
            default: rowsOf<1>(c, cStride, y, depth, i); break;
        }
        i += rows;
    }
}

}  // namespace va
