// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/bundle/rank_update.h"

#include <algorithm>
#include <cstring>

#include "base/cpu_clones.h"

namespace va {
namespace {

#define VA_INLINE inline __attribute__((always_inline))
constexpr int wide = PackedRows::wide;
using Eight = double __attribute__((vector_size(8 * wide)));

VA_INLINE void load(Eight& q, const double* p) { std::memcpy(&q, p, sizeof q); }

/// Rows of C in eight columns: the sums stay in registers over the whole depth. `left` are the rows' numbers in Y,
/// `right` the columns'; both step by eight.
template <int Rows>
VA_INLINE void tile(double* c, std::ptrdiff_t cStride, const double* left, const double* right, int depth) {
    Eight sum[Rows] = {};
    for (int k = 0; k < depth; ++k, left += wide, right += wide) {
        Eight a;
        load(a, right);
        for (int r = 0; r < Rows; ++r) sum[r] += left[r] * a;
    }
    for (int r = 0; r < Rows; ++r, c += cStride) {
        Eight a;
        load(a, c);
        a -= sum[r];
        std::memcpy(c, &a, sizeof a);
    }
}

template <int Rows>
VA_INLINE void rowsOf(double* c, std::ptrdiff_t cStride, const double* y, int depth, int i) {
    const std::ptrdiff_t block = std::ptrdiff_t(depth) * wide;
    const double* left = y + (i / wide) * block + i % wide;
    for (int j = 0; j < i + Rows; j += wide)
        tile<Rows>(c + i * cStride + j, cStride, left, y + (j / wide) * block, depth);
}

/// So many rows at a time as have their sums in registers, all of one block of eight.
template <int Most>
VA_INLINE void subtract(double* c, std::ptrdiff_t cStride, const PackedRows& packed, int rowBegin, int rowEnd) {
    const double* y = packed.data();
    const int depth = packed.rows();
    for (int i = rowBegin; i < rowEnd;) {
        const int rows = std::min({Most, rowEnd - i, Most - i % Most});
        if constexpr (Most == 8) {
            if (rows == 8) {
                rowsOf<8>(c, cStride, y, depth, i);
                i += 8;
                continue;
            }
        }
        switch (rows) {
            case 1: rowsOf<1>(c, cStride, y, depth, i), i += 1; break;
            case 2: rowsOf<2>(c, cStride, y, depth, i), i += 2; break;
            case 3: rowsOf<3>(c, cStride, y, depth, i), i += 3; break;
            default: rowsOf<4>(c, cStride, y, depth, i), i += 4; break;
        }
    }
}

VA_CPU_CLONES void subtractFour(double* c, std::ptrdiff_t cStride, const PackedRows& packed, int rowBegin, int rowEnd) {
    subtract<4>(c, cStride, packed, rowBegin, rowEnd);
}

#ifdef VA_WIDE_VECTORS
VA_WIDE_VECTORS void subtractEight(double* c, std::ptrdiff_t cStride, const PackedRows& packed, int rowBegin,
                                   int rowEnd) {
    subtract<8>(c, cStride, packed, rowBegin, rowEnd);
}
#endif

}  // namespace

void subtractProduct(double* c, std::ptrdiff_t cStride, const PackedRows& packed, int rowBegin, int rowEnd) {
#ifdef VA_WIDE_VECTORS
    // Every number is summed in the same order, fused, as with narrower vectors: the result is the same to the bit.
    static const bool wideVectors = __builtin_cpu_supports("x86-64-v4");
    if (wideVectors) return subtractEight(c, cStride, packed, rowBegin, rowEnd);
#endif
    subtractFour(c, cStride, packed, rowBegin, rowEnd);
}

}  // namespace va
