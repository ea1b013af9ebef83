// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstddef>

namespace va {

/// Doubles that subtractProduct() may touch to the right of what it is asked for, in C and in every row of Y.
inline constexpr int rankUpdateSlack = 16;

/// C −= Yᵀ Y in the lower triangle of rows rowBegin..rowEnd: C(i, j) −= Σ_k Y(k, i) Y(k, j) for j ≤ i. C(i, j) lies at
/// c[i · cStride + j], Y(k, i) at y[k · yStride + i]. Entries of C up to rankUpdateSlack to the right of the diagonal
/// are overwritten with numbers without meaning. The order of the sums does not depend on how rows are cut into calls.
void subtractProduct(double* c, std::ptrdiff_t cStride, const double* y, std::ptrdiff_t yStride, int depth,
                     int rowBegin, int rowEnd);

}  // namespace va
