// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/rank_update.h"

#include <cstring>

#include "base/cpu_clones.h"

namespace va {
namespace {

using Quad = double __attribute__((vector_size(32)));
#define VA_INLINE inline __attribute__((always_inline))

VA_INLINE void load(Quad& q, const double* p) { std::memcpy(&q, p, sizeof q); }

/// Rows i..i+Rows of C in columns j..j+8: the sums stay in registers over the whole depth.
template <int Rows>
VA_INLINE void tile(double* c, std::ptrdiff_t cStride, const double* y, std::ptrdiff_t yStride, int depth, int i,
                    int j) {
    Quad sum[Rows][2] = {};
    for (int k = 0; k < depth; ++k) {
        const double* line = y + k * yStride;
        Quad a, b;
        load(a, line + j), load(b, line + j + 4);
        for (int r = 0; r < Rows; ++r) {
            const double by = line[i + r];
            sum[r][0] += by * a;
            sum[r][1] += by * b;
        }
    }
    for (int r = 0; r < Rows; ++r) {
        double* at = c + (i + r) * cStride + j;
        Quad a, b;
        load(a, at), load(b, at + 4);
        a -= sum[r][0], b -= sum[r][1];
        std::memcpy(at, &a, sizeof a);
        std::memcpy(at + 4, &b, sizeof b);
    }
}

template <int Rows>
VA_INLINE void rowsOf(double* c, std::ptrdiff_t cStride, const double* y, std::ptrdiff_t yStride, int depth, int i) {
    for (int j = 0; j < i + Rows; j += 8) tile<Rows>(c, cStride, y, yStride, depth, i, j);
}

}  // namespace

VA_CPU_CLONES
void subtractProduct(double* c, std::ptrdiff_t cStride, const double* y, std::ptrdiff_t yStride, int depth,
                     int rowBegin, int rowEnd) {
    int i = rowBegin;
    for (; i + 4 <= rowEnd; i += 4) rowsOf<4>(c, cStride, y, yStride, depth, i);
    for (; i < rowEnd; ++i) rowsOf<1>(c, cStride, y, yStride, depth, i);
}

}  // namespace va
