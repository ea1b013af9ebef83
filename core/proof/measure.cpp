// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/measure.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <vector>

#include "base/error.h"
#include "base/text.h"
#include "media/display_transform.h"

namespace va {
namespace {

/// Bins a px of an edge's profile.
constexpr int oversampling = 4;

double quantile(std::vector<double> v, double share) {
    const auto at = v.begin() + long(share * double(v.size() - 1));
    std::nth_element(v.begin(), at, v.end());
    return *at;
}

}  // namespace

std::optional<double> edgeBlur(const Luma& luma, int left, int top, int width, int height) {
    if (left < 1 || top < 1 || left + width > luma.width - 1 || top + height > luma.height - 1) return std::nullopt;
    // The edge's line: where slopes are, weighed by their squares.
    double sum = 0, sx = 0, sy = 0, xx = 0, xy = 0, yy = 0;
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const auto at = [&](int dx, int dy) { return double(luma.at(left + x + dx, top + y + dy)); };
            const double gx = (at(1, 0) - at(-1, 0)) / 2, gy = (at(0, 1) - at(0, -1)) / 2, w = gx * gx + gy * gy;
            sum += w, sx += w * x, sy += w * y, xx += gx * gx, xy += gx * gy, yy += gy * gy;
        }
    const double trace = xx + yy, split = std::hypot(xx - yy, 2 * xy);
    if (!(trace > 0) || split < 0.9 * trace) return std::nullopt;  // several directions: no straight edge
    const double angle = 0.5 * std::atan2(2 * xy, xx - yy), nx = std::cos(angle), ny = std::sin(angle);
    // Along rows or columns a profile has no steps finer than a px.
    if (std::min(std::fabs(nx), std::fabs(ny)) < 0.02) return std::nullopt;
    const double cx = sx / sum, cy = sy / sum;
    // Profile over the normal.
    const int reach = std::min(width, height) / 2 - 2;
    if (reach < 6) return std::nullopt;
    const int bins = 2 * reach * oversampling;
    std::vector<double> total(size_t(bins), 0), count(size_t(bins), 0);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const double d = (x - cx) * nx + (y - cy) * ny;
            const int bin = int(std::floor((d + reach) * oversampling));
            if (bin < 0 || bin >= bins) continue;
            total[size_t(bin)] += double(luma.at(left + x, top + y)), count[size_t(bin)] += 1;
        }
    std::vector<double> profile(size_t(bins), 0);
    for (size_t i = 0; i < profile.size(); ++i) {
        if (count[i] == 0) return std::nullopt;
        profile[i] = total[i] / count[i];
    }
    const auto flat = size_t(2 * oversampling);
    double low = 0, high = 0;
    for (size_t i = 0; i < flat; ++i)
        low += profile[i] / double(flat), high += profile[profile.size() - 1 - i] / double(flat);
    if (std::fabs(high - low) < 0.05 * 255) return std::nullopt;
    // Its sides have to be flat, or there is more than one edge.
    for (size_t i = 0; i < profile.size() / 6; ++i)
        if (std::fabs(profile[i] - low) > 0.15 * std::fabs(high - low) ||
            std::fabs(profile[profile.size() - 1 - i] - high) > 0.15 * std::fabs(high - low))
            return std::nullopt;
    // Slope, windowed about its middle, and its spectrum.
    std::vector<double> slope(profile.size(), 0);
    double middle = 0, weight = 0;
    for (size_t i = 1; i + 1 < profile.size(); ++i) {
        slope[i] = profile[i + 1] - profile[i - 1];
        middle += double(i) * std::fabs(slope[i]), weight += std::fabs(slope[i]);
    }
    middle /= weight;
    for (size_t i = 0; i < slope.size(); ++i) {
        const double t = (double(i) - middle) / (double(bins) / 2);
        slope[i] *= std::fabs(t) < 1 ? 0.54 + 0.46 * std::cos(M_PI * t) : 0;
    }
    const auto spectrum = [&](double cyclesAPx) {
        std::complex<double> s = 0;
        for (size_t i = 0; i < slope.size(); ++i)
            s += slope[i] * std::polar(1.0, -2 * M_PI * cyclesAPx * double(i) / oversampling);
        // What the difference over two bins and the bins themselves take off (ISO 12233, annex D).
        const double x = 2 * M_PI * cyclesAPx / oversampling, bin = x / 2;
        return std::abs(s) * (x > 0 ? x / std::sin(x) : 1) * (bin > 0 ? bin / std::sin(bin) : 1);
    };
    const double whole = spectrum(0);
    double before = 1;
    for (double f = 0.005; f < 1.2; f += 0.005) {
        const double now = spectrum(f) / whole;
        if (now <= 0.5) {
            const double half = f - 0.005 * (0.5 - now) / std::max(1e-12, before - now);
            return std::sqrt(std::log(2.0) / 2) / (M_PI * half);
        }
        before = now;
    }
    return std::nullopt;
}

BlurMeasure measureBlur(const Luma& luma, const Eigen::Vector2d& place, double reach) {
    constexpr int size = 28, step = 14;
    std::vector<double> found;
    const auto low = [&](double v) { return std::max(1, int(v - reach)); };
    for (int y = low(place.y()); y + size < std::min<double>(luma.height, place.y() + reach); y += step)
        for (int x = low(place.x()); x + size < std::min<double>(luma.width, place.x() + reach); x += step)
            if (const auto sigma = edgeBlur(luma, x, y, size, size)) found.push_back(*sigma);
    BlurMeasure out;
    out.edges = int(found.size());
    if (!found.empty()) out.sigma = quantile(found, 0.25);
    return out;
}

GrainMeasure measureGrain(const Picture& p) {
    constexpr int size = 12;
    struct Tile {
        double structure;
        Eigen::Vector3d variance, beside;
    };
    std::vector<Tile> tiles;
    for (int top = 0; top + size <= p.height; top += size)
        for (int left = 0; left + size <= p.width; left += size) {
            // Less a plane: light that runs off evenly is no grain.
            Tile t{0, Eigen::Vector3d::Zero(), Eigen::Vector3d::Zero()};
            bool clipped = false;
            for (int c = 0; c < 3; ++c) {
                const double half = (size - 1) / 2.0, squares = size * size * (size * size - 1) / 12.0;
                double mean = 0, gx = 0, gy = 0;
                for (int y = 0; y < size; ++y)
                    for (int x = 0; x < size; ++x) {
                        const double v = double(p.at(left + x, top + y)[c]);
                        clipped = clipped || v <= 0.01 || v >= 0.99;
                        mean += v / (size * size), gx += v * (x - half) / squares, gy += v * (y - half) / squares;
                    }
                const auto rest = [&](int x, int y) {
                    return double(p.at(left + x, top + y)[c]) - mean - gx * (x - half) - gy * (y - half);
                };
                double sum = 0, beside = 0, coarse = 0;
                for (int y = 0; y < size; ++y)
                    for (int x = 0; x < size; ++x) {
                        sum += rest(x, y) * rest(x, y);
                        if (x + 1 < size) beside += rest(x, y) * rest(x + 1, y);
                    }
                // Means of quarters tell structure from grain.
                for (int q = 0; q < 16; ++q) {
                    double quarter = 0;
                    for (int y = 0; y < 3; ++y)
                        for (int x = 0; x < 3; ++x) quarter += rest(q % 4 * 3 + x, q / 4 * 3 + y) / 9;
                    coarse += quarter * quarter / 16;
                }
                t.variance[c] = sum / (size * size - 3), t.beside[c] = beside / (size * (size - 1));
                t.structure += coarse + 0.05 * (gx * gx + gy * gy) * size * size;
            }
            if (!clipped) tiles.push_back(t);
        }
    GrainMeasure out;
    if (tiles.size() < 8) return out;
    std::sort(tiles.begin(), tiles.end(), [](const Tile& a, const Tile& b) { return a.structure < b.structure; });
    tiles.resize(std::max<size_t>(8, tiles.size() / 8));
    out.tiles = int(tiles.size());
    double correlation = 0;
    for (int c = 0; c < 3; ++c) {
        std::vector<double> variances, beside;
        for (const Tile& t : tiles) variances.push_back(t.variance[c]), beside.push_back(t.beside[c]);
        const double v = quantile(variances, 0.5);
        out.sigma[c] = float(std::sqrt(v));
        if (v > 0) correlation += quantile(beside, 0.5) / v / 3;
    }
    // A Gaussian over white noise gives neighbours a correlation of exp(−1 / 4σ²).
    if (correlation > 0.05) out.size = float(1 + 2 * std::sqrt(1 / (4 * -std::log(std::min(0.95, correlation)))));
    return out;
}

Eigen::Vector3d spotLight(const Picture& p, PictureEncoding encoding, const Eigen::Vector2d& at) {
    constexpr int reach = 4;
    const int x = int(std::lround(at.x())), y = int(std::lround(at.y()));
    if (x < reach || y < reach || x + reach >= p.width || y + reach >= p.height)
        throw InputError(text("A spot lies at the picture's border. Pick one further in."));
    Eigen::Vector3d sum = Eigen::Vector3d::Zero();
    for (int dy = -reach; dy <= reach; ++dy)
        for (int dx = -reach; dx <= reach; ++dx)
            for (int c = 0; c < 3; ++c) sum[c] += double(lightOf(p.at(x + dx, y + dy)[c], encoding));
    return sum / ((2 * reach + 1) * (2 * reach + 1));
}

Eigen::Vector3d shadowLeft(const Picture& p, PictureEncoding encoding, const Eigen::Vector2d& lit,
                           const Eigen::Vector2d& shaded) {
    const Eigen::Vector3d a = spotLight(p, encoding, lit), b = spotLight(p, encoding, shaded);
    if (!(a.minCoeff() > 0) || !(b.sum() < a.sum()))
        throw InputError(
            text("The spot in the light is no brighter than the one in shadow. Pick the lit one first, on "
                 "the same ground."));
    return b.cwiseQuotient(a).cwiseMax(0).cwiseMin(1);
}

HazeMeasure hazeBetween(const Eigen::Vector3d& nearLight, double near, const Eigen::Vector3d& farLight, double far) {
    if (!(near > 0) || !(far > 1.2 * near))
        throw InputError(
            text("The second spot is %.3g times as far as the first. Pick the near one first, and one that is much "
                 "farther.",
                 near > 0 ? far / near : 0));
    const double a = nearLight.sum(), b = farLight.sum();
    if (!(a >= 0) || !(b > 1.02 * a))
        throw InputError(
            text("The far spot is no lighter than the near one: there is no haze between them. Pick dark "
                 "places, the near one first."));
    // Haze adds the less, the farther: twice as far is less than twice as light.
    const auto ratio = [&](double h) { return std::expm1(-near / h * M_LN2) / std::expm1(-far / h * M_LN2); };
    if (a / b <= near / far)
        throw InputError(
            text("The far spot is lighter than haze explains: it has light of its own. Pick a darker one, "
                 "or a lighter near one."));
    double low = near / 60, high = 1000 * far;  // ratio() falls from 1 to near / far
    for (int i = 0; i < 200; ++i) {
        const double middle = std::sqrt(low * high);
        (ratio(middle) > a / b ? low : high) = middle;
    }
    HazeMeasure out;
    out.halved = std::sqrt(low * high);
    out.colour = farLight / -std::expm1(-far / out.halved * M_LN2);
    return out;
}

}  // namespace va
