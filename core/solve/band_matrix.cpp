// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/band_matrix.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "solve/rank_update.h"

namespace va {
namespace {

constexpr int blockSize = 48;

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

bool BandMatrix::factor() {
    const int n = size();
    std::vector<double> panel;
    for (int k = 0; k < n; k += blockSize) {
        const int columns = std::min(blockSize, n - k);
        for (int j = k; j < k + columns; ++j) {
            double pivot = at(j, j);
            for (int m = k; m < j; ++m) pivot -= at(j, m) * at(j, m);
            if (!(pivot > 0) || !std::isfinite(pivot)) return false;
            const double root = std::sqrt(pivot);
            at(j, j) = root;
            for (int i = j + 1; i < k + columns; ++i) {
                double sum = at(i, j);
                for (int m = k; m < j; ++m) sum -= at(i, m) * at(j, m);
                at(i, j) = sum / root;
            }
        }
        const int first = k + columns, rows = reach_[size_t(first - 1)] - first + 1;
        if (rows <= 0) continue;
        // The rows below, turned so that they lie side by side: column by column they are solved all at once.
        const std::ptrdiff_t panelStep = rows + rankUpdateSlack;
        panel.assign(size_t(columns) * size_t(panelStep), 0.0);
        parallelRanges(rows, 128, [&](int begin, int end) {
            for (int i = begin; i < end; ++i)
                for (int j = std::max(0, start_[size_t(first + i)] - k); j < columns; ++j)
                    panel[size_t(j * panelStep + i)] = at(first + i, k + j);
            for (int j = 0; j < columns; ++j) {
                double* out = &panel[size_t(j * panelStep)];
                for (int m = 0; m < j; ++m) {
                    const double by = at(k + j, k + m);
                    const double* in = &panel[size_t(m * panelStep)];
                    for (int i = begin; i < end; ++i) out[i] -= by * in[i];
                }
                const double over = 1 / at(k + j, k + j);
                for (int i = begin; i < end; ++i) out[i] *= over;
            }
            for (int i = begin; i < end; ++i)
                for (int j = 0; j < columns; ++j) at(first + i, k + j) = panel[size_t(j * panelStep + i)];
        });
        subtractPanel(panel, panelStep, columns, first, rows);
    }
    return true;
}

void BandMatrix::subtractPanel(const std::vector<double>& panel, std::ptrdiff_t panelStep, int depth, int first,
                               int rows) {
    double* c = block(first, first);
    parallelRanges((rows + blockSize - 1) / blockSize, 2, [&](int begin, int end) {
        subtractProduct(c, step_, panel.data(), panelStep, depth, begin * blockSize, std::min(rows, end * blockSize));
    });
}

void BandMatrix::solveLower(Eigen::Ref<Eigen::MatrixXd> x) const {
    const int n = size();
    for (Eigen::Index c = 0; c < x.cols(); ++c)
        for (int i = 0; i < n; ++i) {
            const int from = start_[size_t(i)];
            const Eigen::Map<const Eigen::VectorXd> row(data_.data() + place(i, from), i - from);
            x(i, c) = (x(i, c) - row.dot(x.col(c).segment(from, i - from))) / at(i, i);
        }
}

void BandMatrix::solveUpper(Eigen::Ref<Eigen::MatrixXd> x) const {
    for (Eigen::Index c = 0; c < x.cols(); ++c)
        for (int i = size() - 1; i >= 0; --i) {
            const int from = start_[size_t(i)];
            const Eigen::Map<const Eigen::VectorXd> row(data_.data() + place(i, from), i - from);
            x(i, c) /= at(i, i);
            x.col(c).segment(from, i - from) -= x(i, c) * row;
        }
}

}  // namespace va
