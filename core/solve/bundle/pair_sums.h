// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstddef>

#include "solve/bundle/rank_update.h"

namespace va {

/// Observations as pairs of rows, one after the other: residual and derivatives in x, then those in y. The loops over
/// pairs below take most of a bundle's time besides products of matrices. None fuses multiplication and addition, so
/// that sums come out the same on all machines.
struct PairRows {
    const double* data = nullptr;
    int half = 0;  ///< doubles of one of the two rows
    [[nodiscard]] const double* x(int pair) const { return data + std::ptrdiff_t(pair) * 2 * half; }
    [[nodiscard]] const double* y(int pair) const { return x(pair) + half; }
};

/// sums(a, b) += Σ over `count` pairs of x(first + a) x(from + b) + y(first + a) y(from + b), for a < rows and b < 4 ·
/// quads; sums has 4 · quads columns, row after row. `which` names the pairs.
void addPairProducts(double* sums, const PairRows& pairs, const int* which, int count, int first, int rows, int from,
                     int quads);

/// A point's part of Y = L⁻¹ Wᵀ, three rows from `row` on: `lower` is L of its 3 × 3 block as l00, l10, l11, l20, l21,
/// l22; W comes from pairs begin..end by derivatives by the point (three from `byPoint` on) and by the view (`size`
/// from `byView` on, eight are read), which belong in `size` columns for each view after `firstView`. Adds to
/// `product`.
void takeOutPoint(PackedRows& product, int row, const double* lower, const PairRows& pairs, int begin, int end,
                  int byPoint, int byView, int size, const int* viewOf, int firstView);

/// For eight columns of a packed matrix: out(b, lane) = Σ_k by[k · step + b] y(k, lane), for b < width.
void sumColumns(double* out, const double* eight, int depth, const double* by, int step, int width);

}  // namespace va
