// SPDX-License-Identifier: GPL-3.0-or-later
#include "lens/find_chart.h"
#include "base/text.h"

#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <optional>

namespace va {
namespace {

/// Binomial blur of 2n + 1 taps each way; edges are held.
Luma blurred(const Luma& in, int rounds) {
    Luma a = in, b(in.width, in.height);
    for (int i = 0; i < rounds; ++i) {
        for (int y = 0; y < a.height; ++y)
            for (int x = 0; x < a.width; ++x)
                b.at(x, y) =
                    0.25f * (a.at(std::max(0, x - 1), y) + a.at(std::min(a.width - 1, x + 1), y)) + 0.5f * a.at(x, y);
        for (int y = 0; y < a.height; ++y) {
            const float *up = b.row(std::max(0, y - 1)), *here = b.row(y), *down = b.row(std::min(a.height - 1, y + 1));
            for (int x = 0; x < a.width; ++x) a.at(x, y) = 0.25f * (up[x] + down[x]) + 0.5f * here[x];
        }
    }
    return a;
}

/// Every second pixel of a blurred picture: pixel (x, y) lies at (2x, 2y) of the larger one.
Luma halved(const Luma& in) {
    const Luma soft = blurred(in, 1);
    Luma out((in.width + 1) / 2, (in.height + 1) / 2);
    for (int y = 0; y < out.height; ++y)
        for (int x = 0; x < out.width; ++x) out.at(x, y) = soft.at(2 * x, 2 * y);
    return out;
}

float sampled(const Luma& l, double x, double y) {
    const int ix = std::clamp(int(std::floor(x)), 0, l.width - 2), iy = std::clamp(int(std::floor(y)), 0, l.height - 2);
    const auto s = float(x - ix), t = float(y - iy);
    return (1 - t) * ((1 - s) * l.at(ix, iy) + s * l.at(ix + 1, iy)) +
           t * ((1 - s) * l.at(ix, iy + 1) + s * l.at(ix + 1, iy + 1));
}

/// The place that all gradients around point past, weighed towards the middle. Nothing where there is no such position
/// within `radius` / 2.
std::optional<Eigen::Vector2d> placed(const Luma& l, Eigen::Vector2d at, int radius) {
    const Eigen::Vector2d start = at;
    for (int round = 0; round < 12; ++round) {
        Eigen::Matrix2d normal = Eigen::Matrix2d::Zero();
        Eigen::Vector2d right = Eigen::Vector2d::Zero();
        const int x0 = int(std::lround(at.x())), y0 = int(std::lround(at.y()));
        if (x0 - radius < 1 || y0 - radius < 1 || x0 + radius > l.width - 2 || y0 + radius > l.height - 2)
            return std::nullopt;
        for (int y = y0 - radius; y <= y0 + radius; ++y)
            for (int x = x0 - radius; x <= x0 + radius; ++x) {
                const Eigen::Vector2d g(0.5 * (l.at(x + 1, y) - l.at(x - 1, y)),
                                        0.5 * (l.at(x, y + 1) - l.at(x, y - 1)));
                const Eigen::Vector2d p(x, y);
                const double w = std::exp(-2 * (p - at).squaredNorm() / (radius * radius));
                const Eigen::Matrix2d gg = w * g * g.transpose();
                normal += gg;
                right += gg * p;
            }
        if (!(normal.determinant() > 1e-6 * normal.trace() * normal.trace())) return std::nullopt;
        const Eigen::Vector2d next = normal.inverse() * right;
        const double step = (next - at).norm();
        at = next;
        if ((at - start).norm() > 0.5 * radius) return std::nullopt;
        if (step < 1e-4) break;
    }
    return at;
}

/// What a ring around a checkerboard's corner shows: the directions of its two edges, and the sign; nothing where it is
/// none.
std::optional<ChartMark> markOf(const Luma& l, const Eigen::Vector2d& at, double radius) {
    constexpr int n = 64;
    if (at.x() < radius + 1 || at.y() < radius + 1 || at.x() > l.width - radius - 2 || at.y() > l.height - radius - 2)
        return std::nullopt;
    double ring[n], low = 1e9, high = -1e9;
    for (int i = 0; i < n; ++i) {
        const double a = 2 * M_PI * i / n;
        ring[i] = double(sampled(l, at.x() + radius * std::cos(a), at.y() + radius * std::sin(a)));
        low = std::min(low, ring[i]), high = std::max(high, ring[i]);
    }
    if (high - low < 20) return std::nullopt;
    // What lies across is alike: so it is between four squares, and not where a square meets the chart's margin.
    double unlike = 0;
    for (int i = 0; i < n / 2; ++i) unlike += std::fabs(ring[i] - ring[i + n / 2]) / (n / 2);
    if (unlike > 0.2 * (high - low)) return std::nullopt;
    const double middle = 0.5 * (low + high);
    std::vector<double> changes;
    bool firstRises = false;
    for (int i = 0; i < n; ++i) {
        const double a = ring[i] - middle, b = ring[(i + 1) % n] - middle;
        if ((a < 0) == (b < 0)) continue;
        if (changes.empty()) firstRises = b > a;
        changes.push_back(2 * M_PI * (i + a / (a - b)) / n);
    }
    if (changes.size() != 4) return std::nullopt;
    ChartMark m;
    m.pixel = at;
    for (size_t k = 0; k < 2; ++k) {
        // Opposite changes belong to one edge, which runs straight through.
        const double open = changes[k + 2] - changes[k];
        if (std::fabs(open - M_PI) > 0.5) return std::nullopt;
        const double angle = changes[k] + 0.5 * (open - M_PI);
        m.along[k] = {std::cos(angle), std::sin(angle)};
    }
    const double between = changes[1] - changes[0];
    if (between < 0.45 || between > M_PI - 0.45) return std::nullopt;
    // Clockwise from the edge that is nearer to the horizontal: does it become lighter?
    const bool firstIsLevel = std::fabs(m.along[0].x()) > std::fabs(m.along[1].x());
    m.sign = (firstIsLevel ? firstRises : !firstRises) ? 1 : -1;
    return m;
}

std::vector<ChartMark> cornersOf(const Luma& picture) {
    const Luma soft = blurred(picture, 3), light = blurred(picture, 1);
    const int w = picture.width, h = picture.height;
    Luma saddle(w, h);
    float strongest = 0;
    for (int y = 2; y < h - 2; ++y)
        for (int x = 2; x < w - 2; ++x) {
            const float xx = soft.at(x + 2, y) - 2 * soft.at(x, y) + soft.at(x - 2, y),
                        yy = soft.at(x, y + 2) - 2 * soft.at(x, y) + soft.at(x, y - 2),
                        xy = soft.at(x + 1, y + 1) - soft.at(x - 1, y + 1) - soft.at(x + 1, y - 1) +
                             soft.at(x - 1, y - 1);
            saddle.at(x, y) = xy * xy - xx * yy;
            strongest = std::max(strongest, saddle.at(x, y));
        }
    std::vector<ChartMark> marks;
    constexpr int reach = 4;
    for (int y = 8; y < h - 8; ++y)
        for (int x = 8; x < w - 8; ++x) {
            const float v = saddle.at(x, y);
            if (v < 0.02f * strongest || v < 30) continue;
            bool top = true;
            for (int j = -reach; j <= reach && top; ++j)
                for (int i = -reach; i <= reach && top; ++i)
                    top = (i == 0 && j == 0) || saddle.at(x + i, y + j) < v ||
                          (saddle.at(x + i, y + j) == v && (j > 0 || (j == 0 && i > 0)));
            if (!top) continue;
            auto at = placed(light, {x, y}, 5);
            if (!at) continue;
            if (const auto m = markOf(light, *at, 5)) marks.push_back(*m);
        }
    return marks;
}

/// Turns the marks' signs into agreement: along the chart, which edge is nearer to the horizontal may change.
std::vector<ChartCorner> cornerGrid(std::vector<ChartMark> marks) {
    auto grid = gridOf(marks);
    for (ChartMark& m : marks) m.sign = 0;
    const auto free = gridOf(marks);
    return free.size() > grid.size() ? free : grid;
}

/// Dark (or light) spots against the mean around them.
std::vector<ChartMark> dotsOf(const Luma& picture, bool dark) {
    const int w = picture.width, h = picture.height, reach = std::max(8, std::max(w, h) / 40);
    // Mean over a square by summed areas.
    std::vector<double> sums(size_t(w + 1) * size_t(h + 1), 0);
    const auto sum = [&](int x, int y) -> double& { return sums[size_t(y) * size_t(w + 1) + size_t(x)]; };
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x)
            sum(x + 1, y + 1) = double(picture.at(x, y)) + sum(x, y + 1) + sum(x + 1, y) - sum(x, y);
    Luma over(w, h);  // how far a pixel is beyond its surroundings
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) {
            const int x0 = std::max(0, x - reach), x1 = std::min(w, x + reach + 1), y0 = std::max(0, y - reach),
                      y1 = std::min(h, y + reach + 1);
            const double mean = (sum(x1, y1) - sum(x0, y1) - sum(x1, y0) + sum(x0, y0)) / ((x1 - x0) * double(y1 - y0));
            over.at(x, y) = float((dark ? 1 : -1) * (mean - double(picture.at(x, y))));
        }
    std::vector<ChartMark> marks;
    std::vector<char> seen(size_t(w) * size_t(h), 0);
    std::vector<std::pair<int, int>> stack, spot;
    for (int y = 1; y < h - 1; ++y)
        for (int x = 1; x < w - 1; ++x) {
            if (seen[size_t(y) * size_t(w) + size_t(x)] || over.at(x, y) < 15) continue;
            spot.clear();
            stack = {{x, y}};
            seen[size_t(y) * size_t(w) + size_t(x)] = 1;
            bool edge = false;
            while (!stack.empty()) {
                const auto [px, py] = stack.back();
                stack.pop_back();
                spot.emplace_back(px, py);
                for (const auto& [dx, dy] : {std::pair{1, 0}, {-1, 0}, {0, 1}, {0, -1}}) {
                    const int qx = px + dx, qy = py + dy;
                    if (qx < 1 || qy < 1 || qx >= w - 1 || qy >= h - 1) {
                        edge = true;
                        continue;
                    }
                    char& mark = seen[size_t(qy) * size_t(w) + size_t(qx)];
                    if (!mark && over.at(qx, qy) > 15) mark = 1, stack.emplace_back(qx, qy);
                }
            }
            if (edge || spot.size() < 12 || spot.size() > size_t(w) * size_t(h) / 50) continue;
            double total = 0;
            Eigen::Vector2d middle = Eigen::Vector2d::Zero();
            for (const auto& [px, py] : spot) {
                const auto weight = double(over.at(px, py));
                middle += weight * Eigen::Vector2d(px, py);
                total += weight;
            }
            middle /= total;
            Eigen::Matrix2d shape = Eigen::Matrix2d::Zero();
            for (const auto& [px, py] : spot) {
                const Eigen::Vector2d d = Eigen::Vector2d(px, py) - middle;
                shape += d * d.transpose() / double(spot.size());
            }
            const Eigen::Vector2d axes = Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d>(shape).eigenvalues();
            // A filled ellipse with these second moments has the area 4 π √(λ1 λ2).
            const double area = 4 * M_PI * std::sqrt(std::max(1e-9, axes(0) * axes(1)));
            if (axes(1) > 16 * axes(0) || std::fabs(area / double(spot.size()) - 1) > 0.25) continue;
            ChartMark m;
            m.pixel = middle;
            marks.push_back(m);
        }
    // Where the neighbours lie: the nearest, and the nearest about across from it.
    std::vector<ChartMark> out;
    for (const ChartMark& m : marks) {
        std::vector<Eigen::Vector2d> near;
        for (const ChartMark& o : marks)
            if (&o != &m) near.push_back(o.pixel - m.pixel);
        std::sort(near.begin(), near.end(),
                  [](const auto& a, const auto& b) { return a.squaredNorm() < b.squaredNorm(); });
        if (near.size() < 2) continue;
        ChartMark with = m;
        with.along[0] = near[0].normalized();
        for (size_t k = 1; k < near.size() && k < 10; ++k) {
            const Eigen::Vector2d d = near[k].normalized();
            if (std::fabs(d.dot(with.along[0])) > 0.6) continue;
            with.along[1] = d;
            out.push_back(with);
            break;
        }
    }
    return out;
}

}  // namespace

FoundChart findChart(const Luma& picture) {
    FoundChart out;
    if (picture.width < 64 || picture.height < 64) {
        out.trouble = text("The still is too small to hold a chart.");
        return out;
    }
    // Large and soft stills show their corners best at half or quarter size; their positions come from the full size.
    std::vector<ChartCorner> best;
    Luma small = picture;
    for (int scale = 1; scale <= 8 && std::min(small.width, small.height) >= 200; scale *= 2) {
        if (scale == 1 && picture.width > 2200) {
            small = halved(small);
            continue;
        }
        auto grid = cornerGrid(cornersOf(small));
        if (scale > 1) {
            const Luma light = blurred(picture, 2);
            for (ChartCorner& c : grid) {
                const Eigen::Vector2d rough = c.pixel * scale;
                c.pixel = placed(light, rough, 4 * scale).value_or(rough);
            }
        }
        if (double(grid.size()) > 1.1 * double(best.size())) best = std::move(grid);
        small = halved(small);
    }
    std::vector<ChartCorner> dots;
    for (const bool dark : {true, false})
        if (auto grid = gridOf(dotsOf(picture, dark)); grid.size() > dots.size()) dots = std::move(grid);
    // Squares of a checkerboard are no dots, but their corners' shadows may be.
    out.kind = dots.size() > 2 * best.size() ? ChartKind::dots : ChartKind::checkerboard;
    out.corners = out.kind == ChartKind::dots ? std::move(dots) : std::move(best);
    for (const ChartCorner& c : out.corners) {
        out.columns = std::max(out.columns, c.column + 1);
        out.rows = std::max(out.rows, c.row + 1);
    }
    if (out.corners.empty())
        out.trouble = text(
            "No checkerboard and no grid of dots was found: at least 3 × 3 corners or dots that are connected are "
            "needed, eight pixels apart or more, evenly lit and in focus.");
    return out;
}

}  // namespace va
