// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstddef>
#include <vector>

namespace va {

/// A matrix Y that is to be subtracted as Yᵀ Y, kept so that the product runs through memory in one go: eight columns
/// side by side, then their next row.
class PackedRows {
  public:
    static constexpr int wide = 8;

    /// Zero, `rows` × `columns`.
    void reset(int rows, int columns) {
        rows_ = rows;
        data_.assign(size_t((columns + wide - 1) / wide) * size_t(rows) * wide, 0.0);
    }
    double& at(int row, int column) { return data_[offset(row, column)]; }
    [[nodiscard]] double at(int row, int column) const { return data_[offset(row, column)]; }
    [[nodiscard]] int rows() const { return rows_; }
    [[nodiscard]] const double* data() const { return data_.data(); }
    double* data() { return data_.data(); }

  private:
    [[nodiscard]] size_t offset(int row, int column) const {
        return (size_t(column / wide) * size_t(rows_) + size_t(row)) * wide + size_t(column % wide);
    }
    int rows_ = 0;
    std::vector<double> data_;
};

/// Doubles to the right of the diagonal that subtractProduct() may overwrite in every row of C.
inline constexpr int rankUpdateSlack = 16;

/// C −= Yᵀ Y in the lower triangle of rows rowBegin..rowEnd: C(i, j) −= Σ_k Y(k, i) Y(k, j) for j ≤ i. C(i, j) lies at
/// c[i · cStride + j]. Entries of C up to rankUpdateSlack to the right of the diagonal become numbers without meaning.
/// The order of the sums does not depend on how rows are cut into calls.
void subtractProduct(double* c, std::ptrdiff_t cStride, const PackedRows& y, int rowBegin, int rowEnd);

}  // namespace va
