// SPDX-License-Identifier: GPL-3.0-or-later
#include "lens/chart_grid.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <queue>

namespace va {
namespace {

/// The four ways out of a mark: +0, +1, −0, −1, by its own directions, turned so that +1 lies clockwise of +0.
std::array<Eigen::Vector2d, 4> waysOf(const ChartMark& m) {
    Eigen::Vector2d a = m.along[0], b = m.along[1];
    if (a.x() * b.y() - a.y() * b.x() < 0) b = -b;
    return {a, b, -a, -b};
}

/// The mark that one comes to first along a way, within 25° of it; −1 = none.
int nextAlong(const std::vector<ChartMark>& marks, int from, const Eigen::Vector2d& way) {
    int best = -1;
    double nearest = std::numeric_limits<double>::infinity();
    for (int i = 0; i < int(marks.size()); ++i) {
        if (i == from || (marks[size_t(i)].sign != 0 && marks[size_t(i)].sign == marks[size_t(from)].sign)) continue;
        const Eigen::Vector2d d = marks[size_t(i)].pixel - marks[size_t(from)].pixel;
        const double ahead = d.dot(way), aside = std::fabs(d.x() * way.y() - d.y() * way.x());
        if (ahead <= 0 || aside > 0.46 * ahead) continue;
        // What lies a little off the way is a neighbour less likely.
        const double cost = ahead + 2 * aside;
        if (cost < nearest) nearest = cost, best = i;
    }
    return best;
}

/// Takes away outer columns and rows that hold few marks: what looks like a corner where the chart meets its margin.
void trim(std::vector<ChartCorner>& grid) {
    bool changed = true;
    while (changed && !grid.empty()) {
        changed = false;
        for (const auto member : {&ChartCorner::column, &ChartCorner::row}) {
            if (grid.empty()) return;
            std::map<int, int> counts;
            for (const ChartCorner& c : grid) ++counts[c.*member];
            std::vector<int> sizes;
            for (const auto& [at, n] : counts) sizes.push_back(n);
            std::nth_element(sizes.begin(), sizes.begin() + std::ptrdiff_t(sizes.size() / 2), sizes.end());
            const int usual = sizes[sizes.size() / 2];
            for (const int edge : {counts.begin()->first, counts.rbegin()->first})
                if (counts.at(edge) * 5 < usual * 3 || counts.at(edge) < 2) {
                    std::erase_if(grid, [&](const ChartCorner& c) { return c.*member == edge; });
                    changed = true;
                    break;
                }
        }
    }
    int left = 1 << 20, top = 1 << 20;
    for (const ChartCorner& c : grid) left = std::min(left, c.column), top = std::min(top, c.row);
    for (ChartCorner& c : grid) c.column -= left, c.row -= top;
}

/// How far marks lie from the middle between their neighbours, in cells, on average: a few hundredths on a chart, a
/// third where chance hung marks together.
double unevenness(const std::vector<ChartCorner>& grid) {
    std::map<std::pair<int, int>, Eigen::Vector2d> at;
    for (const ChartCorner& c : grid) at[{c.column, c.row}] = c.pixel;
    double sum = 0;
    int n = 0;
    for (const auto& [place, pixel] : at)
        for (const auto& [dx, dy] : {std::pair{1, 0}, {0, 1}}) {
            const auto before = at.find({place.first - dx, place.second - dy}),
                       after = at.find({place.first + dx, place.second + dy});
            if (before == at.end() || after == at.end()) continue;
            const double cell = 0.5 * (after->second - before->second).norm();
            sum += (0.5 * (after->second + before->second) - pixel).norm() / std::max(1e-9, cell);
            ++n;
        }
    return n > 0 ? sum / n : 1;
}

struct Links {
    std::array<int, 4> to{-1, -1, -1, -1};
};

}  // namespace

std::vector<ChartCorner> gridOf(const std::vector<ChartMark>& marks) {
    const int n = int(marks.size());
    std::vector<Links> links(marks.size());
    for (int i = 0; i < n; ++i) {
        const auto ways = waysOf(marks[size_t(i)]);
        for (size_t w = 0; w < 4; ++w) links[size_t(i)].to[w] = nextAlong(marks, i, ways[w]);
    }
    // A link counts where the other end has one back.
    const auto mutual = [&](int a, size_t way) {
        const int b = links[size_t(a)].to[way];
        if (b < 0) return -1;
        for (const int back : links[size_t(b)].to)
            if (back == a) return b;
        return -1;
    };
    std::vector<ChartCorner> best;
    std::vector<char> taken(marks.size(), 0);
    for (int seed = 0; seed < n; ++seed) {
        if (taken[size_t(seed)]) continue;
        // Column and row of each mark, and which of its ways is the chart's first.
        struct Hung {
            int column, row, firstWay;
        };
        std::map<int, Hung> hung{{seed, {0, 0, 0}}};
        std::map<std::pair<int, int>, int> at{{{0, 0}, seed}};
        std::queue<int> open;
        open.push(seed);
        taken[size_t(seed)] = 1;
        while (!open.empty()) {
            const int from = open.front();
            open.pop();
            const Hung h = hung.at(from);
            const auto ways = waysOf(marks[size_t(from)]);
            constexpr int step[4][2] = {{1, 0}, {0, 1}, {-1, 0}, {0, -1}};
            for (int k = 0; k < 4; ++k) {
                const auto way = size_t((h.firstWay + k) % 4);
                const int to = mutual(from, way);
                if (to < 0 || hung.contains(to)) continue;
                const std::pair place{h.column + step[k][0], h.row + step[k][1]};
                if (at.contains(place)) continue;
                // A cell is like the one before it: else the link jumps over a mark or leaves the chart.
                const auto behind = at.find({h.column - step[k][0], h.row - step[k][1]});
                if (behind != at.end()) {
                    const Eigen::Vector2d expected =
                        2 * marks[size_t(from)].pixel - marks[size_t(behind->second)].pixel;
                    const double cell = (marks[size_t(from)].pixel - marks[size_t(behind->second)].pixel).norm();
                    if ((marks[size_t(to)].pixel - expected).norm() > 0.35 * cell) continue;
                }
                const auto theirs = waysOf(marks[size_t(to)]);
                int first = 0;
                double like = -2;
                for (int w = 0; w < 4; ++w)
                    if (const double d = theirs[size_t(w)].dot(ways[size_t(h.firstWay)]); d > like) like = d, first = w;
                hung[to] = {place.first, place.second, first};
                at[place] = to;
                taken[size_t(to)] = 1;
                open.push(to);
            }
        }
        if (hung.size() <= best.size()) continue;
        best.clear();
        for (const auto& [i, h] : hung) best.push_back({h.column, h.row, marks[size_t(i)].pixel});
    }
    trim(best);
    int columns = 0, rows = 0;
    for (const ChartCorner& c : best) columns = std::max(columns, c.column + 1), rows = std::max(rows, c.row + 1);
    if (best.size() < 9 || columns < 3 || rows < 3 || unevenness(best) > 0.1) return {};
    std::sort(best.begin(), best.end(), [](const ChartCorner& a, const ChartCorner& b) {
        return std::pair(a.row, a.column) < std::pair(b.row, b.column);
    });
    return best;
}

}  // namespace va
