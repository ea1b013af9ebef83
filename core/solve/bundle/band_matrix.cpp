// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/bundle/band_matrix.h"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/cpu_clones.h"
#include "base/parallel.h"

namespace va {
namespace {

constexpr int blockSize = 48;
constexpr int wide = PackedRows::wide;
using Quad = double __attribute__((vector_size(32)));

/// Eight rows, packed column after column, solved against the lower triangle of a factored block from left to right.
/// Four columns at a time go over what lies to their left, so that no sum waits for the one before. Without fused
/// multiplication, which rounds differently from machine to machine.
VA_CPU_CLONES_AS_IS void solveEight(double* packed, const double* lower, std::ptrdiff_t nextRow, int columns) {
    constexpr int together = 4;
    for (int first = 0; first < columns; first += together) {
        const int count = std::min(together, columns - first);
        Quad low[together], high[together];
        const double* row[together];
        for (int c = 0; c < together; ++c) {
            const int j = std::min(first + c, columns - 1);
            std::memcpy(&low[c], packed + j * wide, sizeof low[c]);
            std::memcpy(&high[c], packed + j * wide + 4, sizeof high[c]);
            row[c] = lower + j * nextRow;
        }
        for (int m = 0; m < first; ++m) {
            Quad a, b;
            std::memcpy(&a, packed + m * wide, sizeof a);
            std::memcpy(&b, packed + m * wide + 4, sizeof b);
            for (int c = 0; c < together; ++c) low[c] -= row[c][m] * a, high[c] -= row[c][m] * b;
        }
        for (int c = 0; c < count; ++c) {
            for (int m = 0; m < c; ++m) low[c] -= row[c][first + m] * low[m], high[c] -= row[c][first + m] * high[m];
            low[c] /= row[c][first + c], high[c] /= row[c][first + c];
            std::memcpy(packed + (first + c) * wide, &low[c], sizeof low[c]);
            std::memcpy(packed + (first + c) * wide + 4, &high[c], sizeof high[c]);
        }
    }
}

}  // namespace

BandMatrix::BandMatrix(std::vector<int> reach) : reach_(std::move(reach)) {
    const int n = size();
    // A block column is worked on as a whole: it reaches as far as its farthest column.
    for (int j = 0; j < n; ++j) reach_[size_t(j)] = std::max({reach_[size_t(j)], j, j > 0 ? reach_[size_t(j) - 1] : 0});
    start_.assign(size_t(n), 0);
    int column = 0;
    for (int i = 0; i < n; ++i) {
        while (reach_[size_t(column)] < i) ++column;
        start_[size_t(i)] = column;
    }
    for (int j = 0; j < n; ++j) width_ = std::max(width_, reach_[size_t(j)] - j);
    width_ = std::min(width_ + blockSize, std::max(0, n - 1));
    step_ = width_ + rankUpdateSlack;
    // A row takes one number more than the step to the next row's same column.
    data_.assign(size_t(n) * size_t(step_ + 1) + size_t(width_) + 2 * rankUpdateSlack, 0.0);
}

void BandMatrix::setZero() { std::fill(data_.begin(), data_.end(), 0.0); }

void BandMatrix::subtract(const BandMatrix& other) {
    for (int row = 0; row < size(); ++row)
        for (int column = std::max(start_[size_t(row)], other.start_[size_t(row)]); column <= row; ++column)
            at(row, column) -= other.at(row, column);
}

bool BandMatrix::factorBlock(int begin, int end) {
    for (int j = begin; j < end; ++j) {
        double pivot = at(j, j);
        for (int m = begin; m < j; ++m) pivot -= at(j, m) * at(j, m);
        if (!(pivot > 0) || !std::isfinite(pivot)) return false;
        const double root = std::sqrt(pivot);
        at(j, j) = root;
        for (int i = j + 1; i < end; ++i) {
            double sum = at(i, j);
            for (int m = begin; m < j; ++m) sum -= at(i, m) * at(j, m);
            at(i, j) = sum / root;
        }
    }
    return true;
}

/// Rows below a factored block are solved against it, eight at a time; they are also left in `panel`, turned.
void BandMatrix::solvePanel(int begin, int end, PackedRows& panel) {
    const int columns = end - begin, rows = reach_[size_t(end - 1)] - end + 1;
    panel.reset(columns, rows);
    parallelRanges((rows + wide - 1) / wide, 8, [&](int firstBlock, int lastBlock) {
        for (int block = firstBlock; block < lastBlock; ++block) {
            double* p = panel.data() + std::ptrdiff_t(block) * columns * wide;
            const int top = end + block * wide, count = std::min(wide, end + rows - top);
            for (int i = 0; i < count; ++i)
                for (int j = std::max(0, start_[size_t(top + i)] - begin); j < columns; ++j)
                    p[j * wide + i] = at(top + i, begin + j);
            solveEight(p, &data_[size_t(offset(begin, begin))], offset(begin + 1, begin) - offset(begin, begin),
                       columns);
            for (int i = 0; i < count; ++i)
                for (int j = 0; j < columns; ++j) at(top + i, begin + j) = p[j * wide + i];
        }
    });
}

bool BandMatrix::factor() {
    const int n = size();
    PackedRows panel;
    for (int k = 0; k < n; k += blockSize) {
        const int end = std::min(n, k + blockSize);
        if (!factorBlock(k, end)) return false;
        const int rows = reach_[size_t(end - 1)] - end + 1;
        if (rows <= 0) continue;
        solvePanel(k, end, panel);
        double* c = block(end, end);
        parallelRanges((rows + blockSize - 1) / blockSize, 2, [&](int first, int last) {
            subtractProduct(c, step_, panel, first * blockSize, std::min(rows, last * blockSize));
        });
    }
    return true;
}

void BandMatrix::solveLower(Eigen::Ref<Eigen::MatrixXd> x) const {
    const int n = size();
    for (Eigen::Index c = 0; c < x.cols(); ++c)
        for (int i = 0; i < n; ++i) {
            const int from = start_[size_t(i)];
            const Eigen::Map<const Eigen::VectorXd> row(data_.data() + offset(i, from), i - from);
            x(i, c) = (x(i, c) - row.dot(x.col(c).segment(from, i - from))) / at(i, i);
        }
}

void BandMatrix::solveUpper(Eigen::Ref<Eigen::MatrixXd> x) const {
    for (Eigen::Index c = 0; c < x.cols(); ++c)
        for (int i = size() - 1; i >= 0; --i) {
            const int from = start_[size_t(i)];
            const Eigen::Map<const Eigen::VectorXd> row(data_.data() + offset(i, from), i - from);
            x(i, c) /= at(i, i);
            x.col(c).segment(from, i - from) -= x(i, c) * row;
        }
}

}  // namespace va
