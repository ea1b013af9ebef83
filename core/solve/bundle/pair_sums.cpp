// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/bundle/pair_sums.h"

#include <algorithm>
#include <cstring>

#include "base/cpu_clones.h"

namespace va {
namespace {

using Four = double __attribute__((vector_size(32)));
#define VA_INLINE inline __attribute__((always_inline))

VA_INLINE void read(Four& q, const double* p) { std::memcpy(&q, p, sizeof q); }
VA_INLINE void write(double* p, const Four& q) { std::memcpy(p, &q, sizeof q); }

/// So many quads of columns stay in registers while the rows go by.
template <int Quads>
VA_INLINE void addProducts(double* sums, std::ptrdiff_t nextRow, const double* x, const double* y, int first, int rows,
                           int from) {
    Four right[Quads], below[Quads];
    for (int q = 0; q < Quads; ++q) read(right[q], x + from + 4 * q), read(below[q], y + from + 4 * q);
    for (int a = 0; a < rows; ++a, sums += nextRow) {
        const double byX = x[first + a], byY = y[first + a];
        for (int q = 0; q < Quads; ++q) {
            Four sum;
            read(sum, sums + 4 * q);
            sum += byX * right[q] + byY * below[q];
            write(sums + 4 * q, sum);
        }
    }
}

}  // namespace

VA_CPU_CLONES_AS_IS
void addPairProducts(double* sums, const PairRows& pairs, const int* which, int count, int first, int rows, int from,
                     int quads) {
    const std::ptrdiff_t nextRow = 4 * std::ptrdiff_t(quads);
    for (int i = 0; i < count; ++i) {
        const double *x = pairs.x(which[i]), *y = pairs.y(which[i]);
        for (int done = 0; done < quads;) {
            const int at = from + 4 * done;
            double* to = sums + 4 * done;
            switch (quads - done) {
                case 1: addProducts<1>(to, nextRow, x, y, first, rows, at), done += 1; break;
                case 2: addProducts<2>(to, nextRow, x, y, first, rows, at), done += 2; break;
                default: addProducts<3>(to, nextRow, x, y, first, rows, at), done += 3; break;
            }
        }
    }
}

VA_CPU_CLONES_AS_IS
void takeOutPoint(PackedRows& product, int row, const double* lower, const PairRows& pairs, int begin, int end,
                  int byPoint, int byView, int size, const int* viewOf, int firstView) {
    constexpr int wide = PackedRows::wide;
    const std::ptrdiff_t block = std::ptrdiff_t(product.rows()) * wide;
    double* const data = product.data() + row * wide;
    for (int k = begin; k < end; ++k) {
        const double *x = pairs.x(k) + byPoint, *y = pairs.y(k) + byPoint;
        const double *viewX = pairs.x(k) + byView, *viewY = pairs.y(k) + byView;
        double solved[3][wide];
        for (int half = 0; half < wide; half += 4) {
            Four vx, vy;
            read(vx, viewX + half), read(vy, viewY + half);
            const Four w0 = vx * x[0] + vy * y[0], w1 = vx * x[1] + vy * y[1], w2 = vx * x[2] + vy * y[2];
            const Four y0 = w0 / lower[0], y1 = (w1 - lower[1] * y0) / lower[2],
                       y2 = (w2 - lower[3] * y0 - lower[4] * y1) / lower[5];
            write(solved[0] + half, y0), write(solved[1] + half, y1), write(solved[2] + half, y2);
        }
        for (int a = 0; a < size; ++a) {
            const int column = (viewOf[k] - firstView) * size + a;
            double* at = data + (column / wide) * block + column % wide;
            for (int k3 = 0; k3 < 3; ++k3) at[k3 * wide] += solved[k3][a];
        }
    }
}

VA_CPU_CLONES_AS_IS
void sumColumns(double* out, const double* eight, int depth, const double* by, int step, int width) {
    constexpr int together = 4;
    for (int begin = 0; begin < width; begin += together) {
        const int n = std::min(together, width - begin);
        Four low[together] = {}, high[together] = {};
        for (int k = 0; k < depth; ++k) {
            Four a, b;
            read(a, eight + std::ptrdiff_t(k) * 8), read(b, eight + std::ptrdiff_t(k) * 8 + 4);
            const double* times = by + std::ptrdiff_t(k) * step + begin;
            for (int c = 0; c < n; ++c) low[c] += a * times[c], high[c] += b * times[c];
        }
        for (int c = 0; c < n; ++c) write(out + 8 * (begin + c), low[c]), write(out + 8 * (begin + c) + 4, high[c]);
    }
}

}  // namespace va
