// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/coarse_shift.h"

#include <Eigen/LU>
#include <cmath>
#include <vector>

#include "base/cpu_clones.h"

namespace va {
namespace {

constexpr int maxSide = 33;

/// Bilinear samples of a side×side window whose top-left sample is at (x, y): one weight set serves them all.
VA_CPU_CLONES void sampleWindow(const float* picture, int stride, float x, float y, int side, float* out) {
    const int ix = int(x), iy = int(y);
    const float s = x - float(ix), t = y - float(iy);
    const float w00 = (1 - s) * (1 - t), w10 = s * (1 - t), w01 = (1 - s) * t, w11 = s * t;
    for (int j = 0; j < side; ++j) {
        const float* p = picture + (iy + j) * stride + ix;
        const float* q = p + stride;
        for (int i = 0; i < side; ++i) out[j * side + i] = w00 * p[i] + w10 * p[i + 1] + w01 * q[i] + w11 * q[i + 1];
    }
}

/// Σ a·T, Σ a·gx, Σ a·gy.
VA_CPU_CLONES void dots(const float* __restrict a, const float* __restrict texture, const float* __restrict gx,
                        const float* __restrict gy, int n, float* __restrict sums) {
    float s = 0, sx = 0, sy = 0;
    for (int i = 0; i < n; ++i) s += a[i] * texture[i], sx += a[i] * gx[i], sy += a[i] * gy[i];
    sums[0] = s, sums[1] = sx, sums[2] = sy;
}

bool windowInside(const Luma& p, double x, double y, int side) {
    return x >= 0 && y >= 0 && x + side < p.width - 1 && y + side < p.height - 1;
}

/// Half size of the largest window that fits around both positions, with a pixel for the gradient and two for the
/// search.
int fittingRadius(const Luma& a, const Luma& b, const Eigen::Vector2d& from, const Eigen::Vector2d& to) {
    const auto room = [](const Luma& p, const Eigen::Vector2d& at) {
        return std::min({at.x(), at.y(), p.width - 2 - at.x(), p.height - 2 - at.y()});
    };
    return int(std::floor(std::min(room(a, from) - 1.5, room(b, to) - 1.5)));
}

}  // namespace

std::optional<Eigen::Vector2d> coarseShift(const Pyramid& before, const Pyramid& after, const Eigen::Vector2d& from,
                                           const Eigen::Vector2d& guess, int largestRadius, int finestLevel,
                                           int coarsestLevel) {
    if (2 * largestRadius + 3 > maxSide || !from.allFinite() || !guess.allFinite()) return std::nullopt;
    float window[maxSide * maxSide], gx[maxSide * maxSide], gy[maxSide * maxSide], now[maxSide * maxSide],
        texture[maxSide * maxSide];
    Eigen::Vector2d shift = guess - from;  // in px of level 0
    bool any = false;
    for (int level = std::min({coarsestLevel, before.levels() - 1, after.levels() - 1}); level >= finestLevel;
         --level) {
        const double scale = 1.0 / (1 << level);
        const Luma& a = before.level(level);
        const Luma& b = after.level(level);
        // Near the picture's edge a smaller window still tells the move; below 7 × 7 a finer level has to do.
        const int radius = std::min(largestRadius, fittingRadius(a, b, from * scale, (from + shift) * scale));
        if (radius < 3) {
            if (level == finestLevel) return std::nullopt;
            continue;
        }
        const int side = 2 * radius + 1, wide = side + 2, n = side * side;
        const Eigen::Vector2d corner = from * scale - Eigen::Vector2d::Constant(radius + 1);
        if (!windowInside(a, corner.x(), corner.y(), wide)) continue;
        sampleWindow(a.data.data(), a.width, float(corner.x()), float(corner.y()), wide, window);
        double xx = 0, xy = 0, yy = 0, mx = 0, my = 0, mean = 0;
        for (int j = 0, k = 0; j < side; ++j)
            for (int i = 0; i < side; ++i, ++k) {
                const float* p = window + (j + 1) * wide + i + 1;
                gx[k] = 0.5f * (p[1] - p[-1]);
                gy[k] = 0.5f * (p[wide] - p[-wide]);
                texture[k] = *p;
                mx += gx[k], my += gy[k], mean += *p;
            }
        mx /= n, my /= n, mean /= n;
        double tx = 0, ty = 0, power = 0;
        for (int k = 0; k < n; ++k) {
            gx[k] -= float(mx), gy[k] -= float(my);  // takes a change of brightness out of the shift
            xx += double(gx[k]) * gx[k], xy += double(gx[k]) * gy[k], yy += double(gy[k]) * gy[k];
            texture[k] -= float(mean);
            power += double(texture[k]) * texture[k];
            tx += double(texture[k]) * gx[k], ty += double(texture[k]) * gy[k];
        }
        const double det = xx * yy - xy * xy;
        if (!(det > 1e-4 * (xx + yy) * (xx + yy) * 0.25) || !(xx + yy > 0.05 * n)) continue;
        Eigen::Vector2d at = (from + shift) * scale - Eigen::Vector2d::Constant(radius);
        for (int i = 0; i < 10; ++i) {
            if (!windowInside(b, at.x(), at.y(), side)) {
                if (level == finestLevel) return std::nullopt;
                break;
            }
            float sums[3];
            sampleWindow(b.data.data(), b.width, float(at.x()), float(at.y()), side, now);
            dots(now, texture, gx, gy, n, sums);
            // A flickering light changes the contrast; where the positions don't agree yet the quotient says little.
            const double gain = std::clamp(sums[0] / power, 0.7, 1.4);
            const double ex = sums[1] / gain - tx, ey = sums[2] / gain - ty;
            const Eigen::Vector2d step((yy * ex - xy * ey) / det, (xx * ey - xy * ex) / det);
            at -= step;
            if (!at.allFinite()) return std::nullopt;
            if (step.squaredNorm() < 0.03 * 0.03) break;
        }
        shift = (at + Eigen::Vector2d::Constant(radius)) / scale - from;
        any = true;
    }
    if (!any) return std::nullopt;
    return from + shift;
}

}  // namespace va
