// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/patch_kernels.h"

#include <algorithm>
#include <cstddef>
#include <cstring>
#include <map>
#include <mutex>

#include "base/cpu_clones.h"
#include "base/side_by_side.h"

namespace va {
namespace {

/// Floats in registers; the compiler's own vector types work on every processor.
using Four = float __attribute__((vector_size(16)));
constexpr Eight ramp{0, 1, 2, 3, 4, 5, 6, 7};

VA_INLINE void load(const float* from, Eight& to) { std::memcpy(&to, from, sizeof to); }

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
            once.push_back(repeated ? 0 : 1);
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

VA_CPU_CLONES void addShifted(const float* __restrict picture, int stride, float x, float y, int width, int height,
                              float share, float* __restrict out, int outStride) {
    const int ix = int(x), iy = int(y);
    float wx[4], wy[4];
    cubicWeightsAt(x - float(ix), wx);
    cubicWeightsAt(y - float(iy), wy);
    for (float& w : wx) w *= share;
    constexpr int lanes = PatchLayout::lanes, longest = 512;
    float line[longest + 2 * lanes];
    for (int from = 0; from < width; from += longest) {
        const int here = std::min(longest, width - from), taps = here + 3;
        std::memset(line, 0, sizeof line);
        for (int j = 0; j < height; ++j) {
            const float* p = picture + std::ptrdiff_t(iy - 1 + j) * stride + ix - 1 + from;
            for (int k = 0; k < taps; k += lanes) {
                const int at = std::min(k, std::max(0, taps - lanes));
                Eight sum{};
                for (int r = 0; r < 4; ++r) {
                    Eight tap;
                    std::memcpy(&tap, p + r * stride + at, sizeof tap);
                    sum += wy[r] * tap;
                }
                std::memcpy(line + at, &sum, sizeof sum);
            }
            float* to = out + std::ptrdiff_t(j) * outStride + from;
            for (int k = 0; k < here; k += lanes) {
                Eight sum;
                std::memcpy(&sum, to + k, sizeof sum);
                for (int c = 0; c < 4; ++c) {
                    Eight tap;
                    std::memcpy(&tap, line + k + c, sizeof tap);
                    sum += wx[c] * tap;
                }
                std::memcpy(to + k, &sum, sizeof sum);
            }
        }
    }
}

VA_CPU_CLONES void levelsAndGradients(const PatchLayout& layout, const float* middle, int stride,
                                      float* __restrict levels, float* __restrict gx, float* __restrict gy) {
    const int count = layout.count();
    if (layout.chunks == 1) {
        for (int i = 0; i < count; ++i) {
            const float* at = middle + std::ptrdiff_t(layout.v[size_t(i)]) * stride + int(layout.u[size_t(i)]);
            levels[i] = *at;
            gx[i] = 0.5f * (at[1] - at[-1]);
            gy[i] = 0.5f * (at[stride] - at[-stride]);
        }
        return;
    }
    for (int i = 0; i < count; i += PatchLayout::lanes) {
        const float* at = middle + std::ptrdiff_t(layout.v[size_t(i)]) * stride + int(layout.u[size_t(i)]);
        Eight level, left, right, above, below;
        load(at, level);
        load(at - 1, left);
        load(at + 1, right);
        load(at - stride, above);
        load(at + stride, below);
        const Eight x = 0.5f * (right - left), y = 0.5f * (below - above);
        std::memcpy(levels + i, &level, sizeof level);
        std::memcpy(gx + i, &x, sizeof x);
        std::memcpy(gy + i, &y, sizeof y);
    }
}

VA_CPU_CLONES void descentMoments(const PatchLayout& layout, const float* __restrict gx, const float* __restrict gy,
                                  const float* __restrict weighedGx, const float* __restrict weighedGy,
                                  double moments[6][6]) {
    // Products of two gradients, each times (1, u, v, u², u v, v²): in that order.
    Eight sums[3][6] = {};
    for (int i = 0; i < layout.count(); i += PatchLayout::lanes) {
        Eight u, x, y, wx, wy;
        load(layout.u.data() + i, u);
        load(gx + i, x);
        load(gy + i, y);
        load(weighedGx + i, wx);
        load(weighedGy + i, wy);
        const float v = layout.v[size_t(i)];
        const Eight products[3] = {wx * x, wx * y, wy * y};
        for (int k = 0; k < 3; ++k) {
            const Eight &p = products[k], pu = p * u, pv = p * v;
            sums[k][0] += p;
            sums[k][1] += pu;
            sums[k][2] += pv;
            sums[k][3] += pu * u;
            sums[k][4] += pu * v;
            sums[k][5] += pv * v;
        }
    }
    double total[3][6];
    for (int k = 0; k < 3; ++k)
        for (int j = 0; j < 6; ++j) {
            total[k][j] = 0;
            for (int lane = 0; lane < PatchLayout::lanes; ++lane) total[k][j] += double(sums[k][j][lane]);
        }
    // Rows of r: which gradient, and which of 1, u, v it is multiplied with.
    constexpr int gradient[6] = {0, 1, 0, 0, 1, 1}, factor[6] = {0, 0, 1, 2, 1, 2};
    constexpr int product[3][3] = {{0, 1, 2}, {1, 3, 4}, {2, 4, 5}};
    for (int a = 0; a < 6; ++a)
        for (int b = 0; b < 6; ++b) moments[a][b] = total[gradient[a] + gradient[b]][product[factor[a]][factor[b]]];
}

VA_CPU_CLONES void blurredMoments(const PatchLayout& layout, const float* __restrict w, const float* __restrict T,
                                  const float* __restrict gx, const float* __restrict gy, const float one[6],
                                  const float along[6], double moments[6][6]) {
    // Six planes, of which a row and a column on each side are taken up by the blur and another one stays 0.
    constexpr int lanes = PatchLayout::lanes, frame = 2;
    const int rows = layout.side + 2 * frame;
    const int stride = (layout.side + 2 * frame + lanes - 1) / lanes * lanes + lanes, size = rows * stride;
    thread_local std::vector<float> planes, smooth;
    planes.assign(size_t(6 * size), 0.0f);
    smooth.assign(size_t(6 * size), 0.0f);
    for (int i = 0; i < layout.count(); i += lanes) {
        Eight u, weight, t, x, y;
        load(layout.u.data() + i, u);
        load(w + i, weight);
        load(T + i, t);
        load(gx + i, x);
        load(gy + i, y);
        const float v = layout.v[size_t(i)];
        const Eight r[6] = {x, y, x * u, x * v, y * u, y * v};
        const int radius = layout.side / 2;
        float* to = planes.data() + (int(v) + radius + frame) * stride + int(u[0]) + radius + frame;
        for (int k = 0; k < 6; ++k) {
            // What the last chunk repeats is 0 there.
            Eight sum;
            load(to + k * size, sum);
            sum += r[k] - weight * one[k] - t * along[k];
            std::memcpy(to + k * size, &sum, sizeof sum);
        }
    }
    for (int i = lanes; i + lanes < 6 * size; i += lanes) {
        const float* at = planes.data() + i;
        Eight sum, before, after;
        load(at, sum);
        load(at - 1, before);
        load(at + 1, after);
        sum = 0.5f * sum + 0.25f * (before + after);
        std::memcpy(smooth.data() + i, &sum, sizeof sum);
    }
    Eight sums[6][6] = {};
    for (int row = frame - 1; row < rows - frame + 1; ++row)
        for (int column = 0; column < stride; column += lanes) {
            Eight r[6];
            for (int k = 0; k < 6; ++k) {
                const float* at = smooth.data() + k * size + row * stride + column;
                Eight before, after;
                load(at, r[k]);
                load(at - stride, before);
                load(at + stride, after);
                r[k] = 0.5f * r[k] + 0.25f * (before + after);
            }
            for (int a = 0; a < 6; ++a)
                for (int b = 0; b <= a; ++b) sums[a][b] += r[a] * r[b];
        }
    for (int a = 0; a < 6; ++a)
        for (int b = 0; b <= a; ++b) {
            double total = 0;
            for (int lane = 0; lane < lanes; ++lane) total += double(sums[a][b][lane]);
            moments[a][b] = moments[b][a] = total;
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
