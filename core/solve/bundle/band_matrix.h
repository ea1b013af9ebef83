// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <cstddef>
#include <vector>

#include "solve/bundle/rank_update.h"

namespace va {

/// A symmetric matrix whose entries lie near the diagonal: views that share no point do not meet in the normal
/// equations of a bundle, and in a shot only views near in time share points.
///
/// Lower triangle, rows contiguous. For every column it knows the last row that holds anything; nothing is computed
/// beyond it.
class BandMatrix {
  public:
    /// Zero. `reach`: for every column the last row with an entry, at least the column itself; growing.
    explicit BandMatrix(std::vector<int> reach);
    BandMatrix() = default;

    [[nodiscard]] int size() const { return int(reach_.size()); }
    void setZero();
    /// Entry of the lower triangle inside the band: column ≤ row ≤ reach(column).
    double& at(int row, int column) { return data_[size_t(offset(row, column))]; }
    [[nodiscard]] double at(int row, int column) const { return data_[size_t(offset(row, column))]; }
    /// Address of (row, column) and the step to the next row, as for subtractProduct().
    double* block(int row, int column) { return data_.data() + offset(row, column); }
    [[nodiscard]] std::ptrdiff_t rowStep() const { return step_; }

    /// Takes another one's entries off, before factor(). Where the other is wider it must hold zeros.
    void subtract(const BandMatrix& other);

    /// Replaces the matrix by its Cholesky factor L (Golub & Van Loan 2013, section 4.3.5, in blocks). False when it is
    /// not positive definite; then its content is lost. The result does not depend on the number of threads.
    bool factor();
    /// After factor(): x becomes L⁻¹ x, and L⁻ᵀ x. Columns are right-hand sides.
    void solveLower(Eigen::Ref<Eigen::MatrixXd> x) const;
    void solveUpper(Eigen::Ref<Eigen::MatrixXd> x) const;

  private:
    bool factorBlock(int begin, int end);
    void solvePanel(int begin, int end, PackedRows& panel);
    [[nodiscard]] std::ptrdiff_t offset(int row, int column) const {
        return std::ptrdiff_t(row) * step_ + column + width_;
    }

    std::vector<int> reach_;
    std::vector<int> start_;  ///< for every row the first column that holds anything
    std::vector<double> data_;
    int width_ = 0;  ///< columns kept left of the diagonal
    std::ptrdiff_t step_ = 0;
};

}  // namespace va
