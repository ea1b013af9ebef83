// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/find_features.h"

#include <algorithm>
#include <cmath>

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

void boxAlong(const std::vector<float>& columns, int radius, int n, std::vector<float>& out) {
    double sum = 0;
    for (int x = 0; x < std::min(n, 2 * radius + 1); ++x) sum += columns[size_t(x)];
    for (int x = radius; x < n - radius; ++x) {
        out[size_t(x)] = float(sum);
        if (x + radius + 1 < n) sum += columns[size_t(x + radius + 1)] - columns[size_t(x - radius)];
    }
}

Luma strengthMap(const Luma& picture, int radius) {
    Luma map(picture.width, picture.height);
    const int n = picture.width, first = radius + 1, last = picture.height - radius - 2;
    const float share = 1.0f / float((2 * radius + 1) * (2 * radius + 1));
    parallelRanges(std::max(0, last - first + 1), 64, [&](int begin, int end) {
        std::vector<float> cxx(size_t(n), 0), cxy = cxx, cyy = cxx, bxx = cxx, bxy = cxx, byy = cxx;
        const auto add = [&](int y, float sign) {
            addRow(picture.row(y - 1), picture.row(y), picture.row(y + 1), sign, n, cxx.data(), cxy.data(), cyy.data());
        };
        for (int y = first + begin - radius; y <= first + begin + radius; ++y) add(y, 1);
        for (int y = first + begin; y < first + end; ++y) {
            boxAlong(cxx, radius, n, bxx);
            boxAlong(cxy, radius, n, bxy);
            boxAlong(cyy, radius, n, byy);
            smallerEigenvalue(bxx.data(), bxy.data(), byy.data(), share, n, map.row(y));
            if (y + 1 < first + end) {
                add(y + radius + 1, 1);
                add(y - radius, -1);
            }
        }
    });
    return map;
}

}  // namespace

std::vector<FoundFeature> findFeatures(const Luma& picture, const std::vector<Eigen::Vector2d>& taken,
                                       const FindOptions& options) {
    const int margin = std::max(options.margin, options.radius + 2);
    if (options.count <= 0 || picture.width <= 2 * margin || picture.height <= 2 * margin) return {};
    const Luma map = strengthMap(picture, options.radius);

    std::vector<FoundFeature> peaks;
    for (int y = margin; y < picture.height - margin; ++y) {
        const float *a = map.row(y - 1), *b = map.row(y), *c = map.row(y + 1);
        for (int x = margin; x < picture.width - margin; ++x) {
            const float s = b[x];
            if (s < options.weakest || s < b[x - 1] || s <= b[x + 1] || s < a[x] || s <= c[x] || s < a[x - 1] ||
                s < a[x + 1] || s < c[x - 1] || s < c[x + 1])
                continue;
            if (options.allowed && !options.allowed(x, y)) continue;
            peaks.push_back({x, y, s});
        }
    }
    if (peaks.empty()) return {};
    // Ties are broken by place, so that the order is the same everywhere.
    std::sort(peaks.begin(), peaks.end(), [](const FoundFeature& a, const FoundFeature& b) {
        return a.strength != b.strength ? a.strength > b.strength : (a.y != b.y ? a.y < b.y : a.x < b.x);
    });
    const float enough = float(options.relative) * peaks[peaks.size() / 20].strength;
    while (!peaks.empty() && peaks.back().strength < enough) peaks.pop_back();

    // Cells of about four features each: enough of them for an even cover, big enough to choose within.
    const double aspect = double(picture.width) / picture.height;
    const int rows = std::max(2, int(std::lround(std::sqrt(options.count / 4.0 / aspect))));
    const int columns = std::max(2, int(std::lround(rows * aspect)));
    const int quota = std::max(1, (options.count + rows * columns - 1) / (rows * columns));
    std::vector<int> filled(size_t(rows * columns), 0);
    const auto cellOf = [&](double x, double y) {
        const int cx = std::clamp(int(x * columns / picture.width), 0, columns - 1),
                  cy = std::clamp(int(y * rows / picture.height), 0, rows - 1);
        return size_t(cy * columns + cx);
    };
    // Occupied places in a coarse grid, for the spacing test.
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
    int total = 0;
    for (const auto& p : taken) {
        ++filled[cellOf(p.x(), p.y())];
        occupy(p.x(), p.y());
        ++total;
    }
    std::vector<FoundFeature> out;
    for (const FoundFeature& f : peaks) {
        if (total >= options.count) break;
        int& inCell = filled[cellOf(f.x, f.y)];
        if (inCell >= quota || !isFree(f.x, f.y)) continue;
        ++inCell;
        ++total;
        occupy(f.x, f.y);
        out.push_back(f);
    }
    return out;
}

}  // namespace va
