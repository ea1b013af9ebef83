// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/find_features.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/cpu_clones.h"
#include "base/parallel.h"

namespace va {
namespace {

/// Adds (sign · g gᵀ) of a picture row to three running column sums.
VA_CPU_CLONES void addRow(const float* above, const float* row, const float* below, float sign, int n, float* xx,
                          float* xy, float* yy) {
    for (int x = 1; x < n - 1; ++x) {
        const float gx = 0.5f * (row[x + 1] - row[x - 1]), gy = 0.5f * (below[x] - above[x]);
        xx[x] += sign * gx * gx;
        xy[x] += sign * gx * gy;
        yy[x] += sign * gy * gy;
    }
}

VA_CPU_CLONES void smallerEigenvalue(const float* xx, const float* xy, const float* yy, float share, int n,
                                     float* out) {
    for (int x = 0; x < n; ++x) {
        const float half = 0.5f * (xx[x] + yy[x]), diff = 0.5f * (xx[x] - yy[x]);
        out[x] = share * (half - std::sqrt(diff * diff + xy[x] * xy[x]));
    }
}

/// Sums of 2·radius+1 neighbours along a row: out[x] of in[x] … in[x + 2·radius].
VA_CPU_CLONES void boxAlong(const float* __restrict in, int radius, int n, float* __restrict out) {
    for (int x = 0; x < n; ++x) out[x] = in[x];
    for (int k = 1; k <= 2 * radius; ++k)
        for (int x = 0; x < n; ++x) out[x] += in[x + k];
}

/// Part of the frame, in whole pixels: left and top belong to it, right and bottom do not.
struct Tile {
    int left = 0, top = 0, right = 0, bottom = 0;
    [[nodiscard]] bool empty() const { return left >= right || top >= bottom; }
};

/// Strength at the pixels of a tile, which keeps radius + 1 px from the picture's edge.
Luma strengthMap(const Luma& picture, int radius, const Tile& tile) {
    const int width = tile.right - tile.left, wide = width + 2 * radius, n = wide + 2;
    Luma map(width, tile.bottom - tile.top);
    const float share = 1.0f / float((2 * radius + 1) * (2 * radius + 1));
    // Sums down the columns; one pixel more on each side, since gradients look there.
    std::vector<float> cxx(size_t(n), 0), cxy = cxx, cyy = cxx, bxx = cxx, bxy = cxx, byy = cxx;
    const int from = tile.left - radius - 1;
    const auto add = [&](int y, float sign) {
        addRow(picture.row(y - 1) + from, picture.row(y) + from, picture.row(y + 1) + from, sign, n, cxx.data(),
               cxy.data(), cyy.data());
    };
    for (int y = tile.top - radius; y <= tile.top + radius; ++y) add(y, 1);
    for (int y = tile.top; y < tile.bottom; ++y) {
        boxAlong(cxx.data() + 1, radius, width, bxx.data());
        boxAlong(cxy.data() + 1, radius, width, bxy.data());
        boxAlong(cyy.data() + 1, radius, width, byy.data());
        smallerEigenvalue(bxx.data(), bxy.data(), byy.data(), share, width, map.row(y - tile.top));
        if (y + 1 < tile.bottom) {
            add(y + radius + 1, 1);
            add(y - radius, -1);
        }
    }
    return map;
}

/// Local maxima of strength within a tile.
std::vector<FoundFeature> peaksIn(const Luma& picture, const Tile& tile, const FindOptions& options) {
    std::vector<FoundFeature> peaks;
    if (tile.empty()) return peaks;
    const Luma map =
        strengthMap(picture, options.radius, {tile.left - 1, tile.top - 1, tile.right + 1, tile.bottom + 1});
    for (int y = 1; y + 1 < map.height; ++y) {
        const float *a = map.row(y - 1), *b = map.row(y), *c = map.row(y + 1);
        for (int x = 1; x + 1 < map.width; ++x) {
            const float s = b[x];
            if (s < options.weakest || s < b[x - 1] || s <= b[x + 1] || s < a[x] || s <= c[x] || s < a[x - 1] ||
                s < a[x + 1] || s < c[x - 1] || s < c[x + 1])
                continue;
            const int px = tile.left + x - 1, py = tile.top + y - 1;
            if (options.allowed && !options.allowed(px, py)) continue;
            peaks.push_back({px, py, s});
        }
    }
    return peaks;
}

/// The frame in cells of about four features each: enough of them for an even cover, big enough to choose within.
struct Cells {
    int width, height, rows, columns, quota;

    Cells(const Luma& picture, int count) : width(picture.width), height(picture.height) {
        const double aspect = double(width) / height;
        rows = std::max(2, int(std::lround(std::sqrt(count / 4.0 / aspect))));
        columns = std::max(2, int(std::lround(rows * aspect)));
        quota = std::max(1, (count + rows * columns - 1) / (rows * columns));
    }
    [[nodiscard]] size_t at(double x, double y) const {
        const int cx = std::clamp(int(x * columns / width), 0, columns - 1),
                  cy = std::clamp(int(y * rows / height), 0, rows - 1);
        return size_t(cy * columns + cx);
    }
    /// The pixels x whose x·columns/width is of the cell's column, and likewise down.
    [[nodiscard]] Tile tile(int cell, int margin) const {
        const auto begin = [](int k, int size, int n) { return (k * size + n - 1) / n; };
        const int cx = cell % columns, cy = cell / columns;
        return {std::max(begin(cx, width, columns), margin), std::max(begin(cy, height, rows), margin),
                std::min(begin(cx + 1, width, columns), width - margin),
                std::min(begin(cy + 1, height, rows), height - margin)};
    }
    /// A quarter of the cells, spread over the frame, tells what is strong in it; all of them where they are few.
    [[nodiscard]] bool tells(int cell) const {
        return rows * columns < 32 || (cell % columns + 2 * (cell / columns)) % 4 == 0;
    }
};

}  // namespace

std::vector<FoundFeature> findFeatures(const Luma& picture, const std::vector<Eigen::Vector2d>& taken,
                                       const FindOptions& options) {
    const int margin = std::max(options.margin, options.radius + 2);
    int total = int(taken.size());
    if (options.count <= total || picture.width <= 2 * margin || picture.height <= 2 * margin) return {};
    const Cells cells(picture, options.count);
    std::vector<int> filled(size_t(cells.rows * cells.columns), 0);
    for (const auto& p : taken) ++filled[cells.at(p.x(), p.y())];

    // Full cells get nothing, so they are not searched.
    std::vector<std::vector<FoundFeature>> byCell(filled.size());
    parallelRanges(int(filled.size()), 1, [&](int begin, int end) {
        for (int k = begin; k < end; ++k)
            if (filled[size_t(k)] < cells.quota || cells.tells(k))
                byCell[size_t(k)] = peaksIn(picture, cells.tile(k, margin), options);
    });
    std::vector<float> telling;
    std::vector<FoundFeature> peaks;
    for (size_t k = 0; k < byCell.size(); ++k) {
        if (cells.tells(int(k)))
            for (const FoundFeature& f : byCell[k]) telling.push_back(f.strength);
        if (filled[k] < cells.quota) peaks.insert(peaks.end(), byCell[k].begin(), byCell[k].end());
    }
    if (!telling.empty()) {
        const auto strong = telling.begin() + std::ptrdiff_t(telling.size() / 20);
        std::nth_element(telling.begin(), strong, telling.end(), std::greater<>());
        const float enough = float(options.relative) * *strong;
        std::erase_if(peaks, [&](const FoundFeature& f) { return f.strength < enough; });
    }
    // Ties are broken by position, so that the order is the same everywhere.
    std::sort(peaks.begin(), peaks.end(), [](const FoundFeature& a, const FoundFeature& b) {
        return a.strength != b.strength ? a.strength > b.strength : (a.y != b.y ? a.y < b.y : a.x < b.x);
    });

    // Occupied positions in a coarse grid, for the spacing test.
    const double spacing = std::max(1.0, options.spacing);
    const int gridWidth = int(picture.width / spacing) + 2, gridHeight = int(picture.height / spacing) + 2;
    std::vector<std::vector<Eigen::Vector2f>> grid(size_t(gridWidth) * size_t(gridHeight));
    const auto gridAt = [&](double v, int n) { return std::clamp(int(v / spacing), 0, n - 1); };
    const auto occupy = [&](double x, double y) {
        grid[size_t(gridAt(y, gridHeight) * gridWidth + gridAt(x, gridWidth))].emplace_back(float(x), float(y));
    };
    const auto isFree = [&](int x, int y) {
        for (int gy = std::max(0, gridAt(y, gridHeight) - 1); gy <= std::min(gridHeight - 1, gridAt(y, gridHeight) + 1);
             ++gy)
            for (int gx = std::max(0, gridAt(x, gridWidth) - 1);
                 gx <= std::min(gridWidth - 1, gridAt(x, gridWidth) + 1); ++gx)
                for (const auto& p : grid[size_t(gy * gridWidth + gx)])
                    if ((p - Eigen::Vector2f(float(x), float(y))).squaredNorm() < spacing * spacing) return false;
        return true;
    };
    for (const auto& p : taken) occupy(p.x(), p.y());
    std::vector<FoundFeature> out;
    for (const FoundFeature& f : peaks) {
        if (total >= options.count) break;
        int& inCell = filled[cells.at(f.x, f.y)];
        if (inCell >= cells.quota || !isFree(f.x, f.y)) continue;
        ++inCell;
        ++total;
        occupy(f.x, f.y);
        out.push_back(f);
    }
    return out;
}

std::vector<FoundFeature> findFeatures(const Pyramid& picture, const std::vector<Eigen::Vector2d>& taken,
                                       const FindOptions& options) {
    if (picture.levels() < 2 || picture.level(0).width <= 1600) return findFeatures(picture.level(0), taken, options);
    FindOptions half = options;
    half.margin = options.margin / 2 + 1;
    half.spacing = options.spacing / 2;
    if (options.allowed) half.allowed = [&](int x, int y) { return options.allowed(2 * x, 2 * y); };
    std::vector<Eigen::Vector2d> places;
    for (const Eigen::Vector2d& p : taken) places.push_back(p / 2);
    std::vector<FoundFeature> out = findFeatures(picture.level(1), places, half);
    for (FoundFeature& f : out) f.x *= 2, f.y *= 2;
    return out;
}

}  // namespace va
