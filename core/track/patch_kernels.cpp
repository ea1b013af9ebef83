// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/patch_kernels.h"

#include <algorithm>
#include <cstddef>
#include <cstring>
#include <map>
#include <mutex>

#include "base/cpu_clones.h"

namespace va {
namespace {

/// Floats in registers; the compiler's own vector types work on every processor.
using Four = float __attribute__((vector_size(16)));
using Eight = float __attribute__((vector_size(32)));
constexpr Eight ramp{0, 1, 2, 3, 4, 5, 6, 7};
#define VA_INLINE inline __attribute__((always_inline))

/// Weights of the cubic's taps −1 … N−2 for positions x in 0..N−3: four taps serve positions between one pair of
/// pixels, each more those of one further pair.
template <int N>
VA_INLINE void cubicWeights(const Eight& x, Eight* w) {
    // A position past pixel m has the weights of its fraction, m taps farther on.
    Eight s = x;
    for (int m = 1; m <= N - 4; ++m) s -= x >= float(m) ? Eight{} + 1.0f : Eight{};
    const Eight s2 = s * s;
    w[0] = s * -0.5f + s2 - 0.5f * s2 * s;
    w[1] = 1 + s2 * (1.5f * s - 2.5f);
    w[2] = 0.5f * s + s2 * (2 - 1.5f * s);
    w[3] = s2 * (0.5f * s - 0.5f);
    for (int m = 1; m <= N - 4; ++m) {
        const auto past = x >= float(m);
        w[3 + m] = past ? w[2 + m] : Eight{};
        for (int k = 2 + m; k > 0; --k) w[k] = past ? w[k - 1] : w[k];
        w[0] = past ? Eight{} : w[0];
    }
}

/// Eight positions of which lane i lies x[i] to the right of and y[i] below pixel i of the row that `p` is one up-left
/// of.
template <int X, int Y>
VA_INLINE void sampleSideBySide(const float* p, int stride, const Eight& x, const Eight& y, float* out) {
    Eight wx[X], wy[Y], sum{};
    cubicWeights<X>(x, wx);
    cubicWeights<Y>(y, wy);
    for (int j = 0; j < Y; ++j) {
        Eight line{};
        for (int k = 0; k < X; ++k) {
            Eight tap;
            std::memcpy(&tap, p + j * stride + k, sizeof tap);
            line += wx[k] * tap;
        }
        sum += wy[j] * line;
    }
    std::memcpy(out, &sum, sizeof sum);
}

/// The same for positions whose last row lies `more` rows below the first, 0..2.
template <int X>
VA_INLINE void sampleSideBySide(const float* p, int stride, const Eight& x, const Eight& y, int more, float* out) {
    if (more == 0) sampleSideBySide<X, 4>(p, stride, x, y, out);
    else if (more == 1) sampleSideBySide<X, 5>(p, stride, x, y, out);
    else sampleSideBySide<X, 6>(p, stride, x, y, out);
}

/// Two positions anywhere, four taps of a row each.
VA_INLINE void samplePair(const float* picture, int stride, const float* x, const float* y, float* out) {
    // Weights of the four taps along x as polynomials in the fraction: c0 + s (c1 + s (c2 + s c3)).
    const Eight c0{0, 1, 0, 0, 0, 1, 0, 0}, c1{-0.5f, 0, 0.5f, 0, -0.5f, 0, 0.5f, 0},
        c2{1, -2.5f, 2, -0.5f, 1, -2.5f, 2, -0.5f}, c3{-0.5f, 1.5f, -1.5f, 0.5f, -0.5f, 1.5f, -1.5f, 0.5f};
    // Coordinates are positive here: truncation is floor.
    const int ix0 = int(x[0]), iy0 = int(y[0]), ix1 = int(x[1]), iy1 = int(y[1]);
    const float s0 = x[0] - float(ix0), s1 = x[1] - float(ix1), t0 = y[0] - float(iy0), t1 = y[1] - float(iy1);
    const Eight s{s0, s0, s0, s0, s1, s1, s1, s1}, t{t0, t0, t0, t0, t1, t1, t1, t1};
    const Eight wx = c0 + s * (c1 + s * (c2 + s * c3));
    Eight wy[4];
    cubicWeights<4>(t, wy);
    const float* p = picture + (iy0 - 1) * stride + ix0 - 1;
    const float* q = picture + (iy1 - 1) * stride + ix1 - 1;
    Eight sum{};
    for (int k = 0; k < 4; ++k) {
        Four a, b;
        std::memcpy(&a, p + k * stride, sizeof a);
        std::memcpy(&b, q + k * stride, sizeof b);
        sum += wy[k] * __builtin_shufflevector(a, b, 0, 1, 2, 3, 4, 5, 6, 7);
    }
    const Eight taps = wx * sum;
    out[0] = (taps[0] + taps[2]) + (taps[1] + taps[3]);
    out[1] = (taps[4] + taps[6]) + (taps[5] + taps[7]);
}

}  // namespace

PatchLayout::PatchLayout(int radius) : side(2 * radius + 1), chunks((side + lanes - 1) / lanes) {
    cuts[0] = (side + 1) / 3;
    cuts[1] = side - cuts[0];
    const auto thirdOf = [&](int at) { return at < cuts[0] ? 0 : at < cuts[1] ? 1 : 2; };
    for (int row = 0; row < side; ++row) {
        rowThird.push_back(thirdOf(row));
        for (int i = 0; i < chunks * lanes; ++i) {
            const bool last = i >= (chunks - 1) * lanes && chunks > 1;
            const int column = std::min(last ? i - chunks * lanes + side : i, side - 1);
            const bool repeated = last ? column < (chunks - 1) * lanes : i >= side;
            u.push_back(float(column - radius));
            v.push_back(float(row - radius));
            pixel.push_back(repeated ? -1 : row * side + column);
            if (row == 0) third.push_back(thirdOf(column));
        }
    }
}

std::shared_ptr<const PatchLayout> PatchLayout::of(int radius) {
    static std::mutex mutex;
    static std::map<int, std::shared_ptr<const PatchLayout>> made;
    const std::scoped_lock lock(mutex);
    auto& layout = made[radius];
    if (!layout) layout = std::make_shared<const PatchLayout>(radius);
    return layout;
}

VA_CPU_CLONES void sampleCubic(const float* __restrict picture, int stride, const float* __restrict u,
                               const float* __restrict v, int n, const float* __restrict m, float* __restrict out) {
    for (int i = 0; i < n; i += PatchLayout::lanes) {
        const float x = m[0] * u[i] + m[1] * v[i] + m[4], y = m[2] * u[i] + m[3] * v[i] + m[5];
        if (u[i + 7] - u[i] == 7 && v[i + 7] == v[i]) {
            // How far the last of the eight strays from lying seven pixels to the right of the first.
            const float strayX = (m[0] - 1) * 7, strayY = m[2] * 7;
            const auto bx = int(strayX < 0 ? x + strayX : x), by = int(strayY < 0 ? y + strayY : y);
            const int moreX = int(strayX < 0 ? x : x + strayX) - bx, moreY = int(strayY < 0 ? y : y + strayY) - by;
            if (moreX <= 4 && moreY <= 2) {
                const Eight fx = (x - float(bx)) + (m[0] - 1) * ramp, fy = (y - float(by)) + m[2] * ramp;
                const float* p = picture + std::ptrdiff_t(by - 1) * stride + bx - 1;
                switch (moreX) {
                    case 0: sampleSideBySide<4>(p, stride, fx, fy, moreY, out + i); break;
                    case 1: sampleSideBySide<5>(p, stride, fx, fy, moreY, out + i); break;
                    case 2: sampleSideBySide<6>(p, stride, fx, fy, moreY, out + i); break;
                    case 3: sampleSideBySide<7>(p, stride, fx, fy, moreY, out + i); break;
                    default: sampleSideBySide<8>(p, stride, fx, fy, moreY, out + i); break;
                }
                continue;
            }
        }
        float xs[8], ys[8];
        for (int k = 0; k < 8; ++k) {
            xs[k] = m[0] * u[i + k] + m[1] * v[i + k] + m[4];
            ys[k] = m[2] * u[i + k] + m[3] * v[i + k] + m[5];
        }
        for (int k = 0; k < 8; k += 2) samplePair(picture, stride, xs + k, ys + k, out + i + k);
    }
}

VA_CPU_CLONES void projectRows(const PatchLayout& layout, int begin, int end, const float* __restrict picture,
                               float offset, const float* __restrict w, const float* __restrict T,
                               const float* __restrict gx, const float* __restrict gy, float* __restrict sums) {
    const int stride = layout.chunks * PatchLayout::lanes;
    const auto load = [](const float* from, Eight& to) { std::memcpy(&to, from, sizeof to); };
    for (int c = 0; c < layout.chunks; ++c) {
        Eight s[9] = {}, u;
        load(layout.u.data() + c * PatchLayout::lanes, u);
        for (int row = begin; row < end; ++row) {
            const int i = row * stride + c * PatchLayout::lanes;
            const float v = layout.v[size_t(i)];
            Eight value, other;
            load(picture + i, value);
            value -= offset;
            load(w + i, other);
            other *= value;
            s[0] += other;
            s[1] += other * value;
            load(T + i, other);
            s[2] += value * other;
            load(gx + i, other);
            other *= value;
            s[3] += other;
            s[5] += other * u;
            s[6] += other * v;
            load(gy + i, other);
            other *= value;
            s[4] += other;
            s[7] += other * u;
            s[8] += other * v;
        }
        std::memcpy(sums + c * 9 * PatchLayout::lanes, s, sizeof s);
    }
}

VA_CPU_CLONES void addSquares(const float* __restrict I, const float* __restrict T, int n, float scale, float bias,
                              float* __restrict squares) {
    for (int i = 0; i < n; ++i) {
        const float left = I[i] * scale - bias - T[i];
        squares[i] += left * left;
    }
}

}  // namespace va
