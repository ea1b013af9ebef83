// SPDX-License-Identifier: GPL-3.0-or-later
#include "lens/resample.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <memory>
#include <utility>

#include "base/cpu_clones.h"
#include "base/parallel.h"
#include "base/side_by_side.h"

namespace va {
namespace {

using Four = float __attribute__((vector_size(16)));

template <int N>
VA_INLINE void weightsOf(float s, float* w);

template <>
VA_INLINE void weightsOf<2>(float s, float* w) {
    w[0] = 1 - s;
    w[1] = s;
}

template <>
VA_INLINE void weightsOf<4>(float s, float* w) {
    cubicWeightsAt(s, w);
}

/// The sinc's weights change smoothly with the fraction: a table of 1024 steps, blended, is right to 1e-6.
struct SincTable {
    static constexpr int steps = 1024;
    std::array<std::array<float, 6>, steps + 1> weights;
    SincTable() {
        const auto sinc = [](double x) { return x == 0 ? 1 : std::sin(M_PI * x) / (M_PI * x); };
        for (int i = 0; i <= steps; ++i) {
            // Cut off, the sinc neither keeps a flat area as it is nor a ramp in its place (it moves by up to 0.02 px):
            // as much of the window, and of the window times the distance, is added as it takes.
            double w[6], window[6], m[5] = {};
            for (int k = 0; k < 6; ++k) {
                const double x = (k - 2) - double(i) / steps;
                window[k] = std::fabs(x) < 3 ? sinc(x / 3) : 0;
                w[k] = window[k] * sinc(x);
                m[0] += w[k], m[1] += w[k] * x;
                m[2] += window[k], m[3] += window[k] * x, m[4] += window[k] * x * x;
            }
            const double det = m[2] * m[4] - m[3] * m[3];
            const double flat = ((1 - m[0]) * m[4] + m[1] * m[3]) / det,
                         ramp = (-m[1] * m[2] - (1 - m[0]) * m[3]) / det;
            for (int k = 0; k < 6; ++k) {
                const double x = (k - 2) - double(i) / steps;
                weights[size_t(i)][size_t(k)] = float(w[k] + window[k] * (flat + ramp * x));
            }
        }
    }
};
const SincTable sincTable;

template <>
VA_INLINE void weightsOf<6>(float s, float* w) {
    const float at = s * SincTable::steps;
    const int i = std::min(int(at), SincTable::steps - 1);
    const float t = at - float(i);
    const auto &a = sincTable.weights[size_t(i)], &b = sincTable.weights[size_t(i) + 1];
    for (int k = 0; k < 6; ++k) w[k] = a[size_t(k)] + t * (b[size_t(k)] - a[size_t(k)]);
}

VA_INLINE void store(const Four& v, float* p) {
    std::memcpy(p, &v, sizeof v);
    p[3] = std::clamp(p[3], 0.0f, 1.0f);
}
VA_INLINE void store(const Four& v, uint8_t* p) {
    using FourInts = int __attribute__((vector_size(16)));
    Four kept = v + 0.5f;
    kept = kept < 0.0f ? Four{} : kept;
    kept = kept > 255.0f ? Four{} + 255.0f : kept;
    FourInts word = __builtin_convertvector(kept, FourInts) << FourInts{0, 8, 16, 24};
    word |= __builtin_shufflevector(word, word, 2, 3, 2, 3);
    word |= __builtin_shufflevector(word, word, 1, 1, 1, 1);
    const int bytes = word[0];
    std::memcpy(p, &bytes, sizeof bytes);
}

/// One row of the output. N taps each way.
template <int N, class T>
VA_INLINE void sampleRow(const float* source, int width, int height, const float* xs, const float* ys, int count,
                         bool hold, T* out) {
    constexpr int before = N / 2 - 1;
    for (int i = 0; i < count; ++i, out += 4) {
        const float x = xs[i], y = ys[i];
        if (!(x == x)) {
            for (int c = 0; c < 4; ++c) out[c] = T(0);
            continue;
        }
        // Positions lie no further out than half a pixel, so adding one makes truncation a floor.
        const int ix = int(x + 1) - 1, iy = int(y + 1) - 1;
        float wx[N], wy[N];
        weightsOf<N>(x - float(ix), wx);
        weightsOf<N>(y - float(iy), wy);
        Four sum{};
        if (ix >= before && iy >= before && ix + N - before <= width && iy + N - before <= height) {
            const float* p = source + 4 * (size_t(iy - before) * size_t(width) + size_t(ix - before));
            Eight pairs{}, weights[N / 2];
            for (int k = 0; k < N / 2; ++k) {
                const Four a = Four{} + wx[2 * k], b = Four{} + wx[2 * k + 1];
                weights[k] = __builtin_shufflevector(a, b, 0, 1, 2, 3, 4, 5, 6, 7);
            }
            for (int j = 0; j < N; ++j, p += 4 * size_t(width)) {
                Eight line{};
                for (int k = 0; k < N / 2; ++k) {
                    Eight taps;
                    std::memcpy(&taps, p + 8 * k, sizeof taps);
                    line += weights[k] * taps;
                }
                pairs += wy[j] * line;
            }
            sum = __builtin_shufflevector(pairs, pairs, 0, 1, 2, 3) + __builtin_shufflevector(pairs, pairs, 4, 5, 6, 7);
        } else {
            for (int j = 0; j < N; ++j)
                for (int k = 0; k < N; ++k) {
                    int px = ix - before + k, py = iy - before + j;
                    if (hold) px = std::clamp(px, 0, width - 1), py = std::clamp(py, 0, height - 1);
                    if (px < 0 || py < 0 || px >= width || py >= height) continue;
                    Four tap;
                    std::memcpy(&tap, source + 4 * (size_t(py) * size_t(width) + size_t(px)), sizeof tap);
                    sum += wx[k] * wy[j] * tap;
                }
        }
        store(sum, out);
    }
}

#define VA_ROW(name, T)                                                                                             \
    VA_CPU_CLONES void name(int taps, const float* source, int width, int height, const float* xs, const float* ys, \
                            int count, bool hold, T* out) {                                                         \
        if (taps == 2) sampleRow<2>(source, width, height, xs, ys, count, hold, out);                               \
        else if (taps == 4) sampleRow<4>(source, width, height, xs, ys, count, hold, out);                          \
        else sampleRow<6>(source, width, height, xs, ys, count, hold, out);                                         \
    }
VA_ROW(sampleFloats, float)
VA_ROW(sampleBytes, uint8_t)
#undef VA_ROW

/// Least of eight, none of which may be NaN.
VA_INLINE float least(const Eight& v) {
    Eight m = v, other = __builtin_shufflevector(m, m, 4, 5, 6, 7, 0, 1, 2, 3);
    m = other < m ? other : m;
    other = __builtin_shufflevector(m, m, 2, 3, 0, 1, 6, 7, 4, 5);
    m = other < m ? other : m;
    other = __builtin_shufflevector(m, m, 1, 0, 3, 2, 5, 4, 7, 6);
    m = other < m ? other : m;
    return m[0];
}

/// Whether all of eight are numbers: a sum with one that is none is none.
VA_INLINE bool allNumbers(const Eight& v) {
    Eight sum = v + __builtin_shufflevector(v, v, 4, 5, 6, 7, 0, 1, 2, 3);
    sum += __builtin_shufflevector(sum, sum, 2, 3, 0, 1, 6, 7, 4, 5);
    const float all = sum[0] + sum[1];
    return all == all;
}

/// Eight pixels of a row whose positions in the source lie nearly side by side, as those of a lens do. False where they
/// do not, or a tap lies outside of the source.
VA_INLINE bool sampleEight(const float* source, int width, int height, const float* xs, const float* ys, float* out) {
    constexpr Eight ramp{0, 1, 2, 3, 4, 5, 6, 7};
    Eight x, y;
    std::memcpy(&x, xs, sizeof x);
    std::memcpy(&y, ys, sizeof y);
    x -= ramp;
    if (!allNumbers(x + y)) return false;
    const float leftmost = least(x), rightmost = -least(-x), top = least(y), bottom = -least(-y);
    if (leftmost < 1 || top < 1) return false;
    const int left = int(leftmost), above = int(top), moreX = int(rightmost) - left, moreY = int(bottom) - above;
    if (moreX > 4 || moreY > 2 || left + moreX + 9 >= width || above + moreY + 2 >= height) return false;
    x -= float(left);
    y -= float(above);
    const float* p = source + size_t(above - 1) * size_t(width) + size_t(left - 1);
    if (moreX == 0) sampleSideBySide<4>(p, width, x, y, moreY, out);
    else if (moreX == 1) sampleSideBySide<5>(p, width, x, y, moreY, out);
    else if (moreX == 2) sampleSideBySide<6>(p, width, x, y, moreY, out);
    else if (moreX == 3) sampleSideBySide<7>(p, width, x, y, moreY, out);
    else sampleSideBySide<8>(p, width, x, y, moreY, out);
    return true;
}

VA_CPU_CLONES void sampleLuma(const float* source, int width, int height, const float* xs, const float* ys, int count,
                              float* out) {
    for (int i = 0; i < count; ++i) {
        if (!(xs[i] == xs[i])) {
            out[i] = 0;
            continue;
        }
        if (i + 8 <= count && sampleEight(source, width, height, xs + i, ys + i, out + i)) {
            i += 7;
            continue;
        }
        out[i] = 0;
        const int ix = int(xs[i] + 1) - 1, iy = int(ys[i] + 1) - 1;
        float wx[4], wy[4];
        weightsOf<4>(xs[i] - float(ix), wx);
        weightsOf<4>(ys[i] - float(iy), wy);
        if (ix >= 1 && iy >= 1 && ix + 3 <= width && iy + 3 <= height) {
            const float* p = source + size_t(iy - 1) * size_t(width) + size_t(ix - 1);
            Four sum{};
            for (int j = 0; j < 4; ++j, p += width) {
                Four taps;
                std::memcpy(&taps, p, sizeof taps);
                sum += wy[j] * taps;
            }
            out[i] = (wx[0] * sum[0] + wx[1] * sum[1]) + (wx[2] * sum[2] + wx[3] * sum[3]);
            continue;
        }
        for (int j = 0; j < 4; ++j) {
            const float* row = source + size_t(std::clamp(iy - 1 + j, 0, height - 1)) * size_t(width);
            float line = 0;
            for (int k = 0; k < 4; ++k) line += wx[k] * row[std::clamp(ix - 1 + k, 0, width - 1)];
            out[i] += wy[j] * line;
        }
    }
}

VA_CPU_CLONES void widen(const uint8_t* __restrict from, float* __restrict to, int n) {
    for (int i = 0; i < n; ++i) to[i] = float(from[i]);
}

template <class T, class Row>
ColourPicture<T> through(const float* source, int width, int height, const PixelMap& map, Filter filter, Edge edge,
                         ColourPicture<T> out, Row row) {
    out.width = map.x.width;
    out.height = map.x.height;
    out.data.resize(map.x.data.size() * 4);
    const int taps = filter == Filter::bilinear ? 2 : filter == Filter::bicubic ? 4 : 6;
    parallelRanges(out.height, 8, [&](int begin, int end) {
        for (int y = begin; y < end; ++y)
            row(taps, source, width, height, map.x.row(y), map.y.row(y), out.width, edge == Edge::hold, out.at(0, y));
    });
    return out;
}

}  // namespace

Picture resample(const Picture& source, const PixelMap& map, Filter filter, Edge edge, Picture spare) {
    if (source.empty()) return Picture(map.x.width, map.x.height);
    return through(source.data.data(), source.width, source.height, map, filter, edge, std::move(spare), sampleFloats);
}

Picture8 resample(const Picture8& source, const PixelMap& map, Filter filter, Edge edge, Picture8 spare) {
    if (source.empty()) return Picture8(map.x.width, map.x.height);
    // Each pixel is a tap of sixteen others: widening it once is cheaper than sixteen times.
    const auto wide = std::make_unique_for_overwrite<float[]>(source.data.size());
    const int line = 4 * source.width;
    parallelRanges(source.height, 16, [&](int begin, int end) {
        for (int y = begin; y < end; ++y) widen(source.at(0, y), wide.get() + size_t(y) * size_t(line), line);
    });
    return through(wide.get(), source.width, source.height, map, filter, edge, std::move(spare), sampleBytes);
}

Luma resample(const Luma& source, const PixelMap& map) {
    Luma out(map.x.width, map.x.height);
    if (source.empty()) return out;
    parallelRanges(out.height, 8, [&](int begin, int end) {
        for (int y = begin; y < end; ++y)
            sampleLuma(source.data.data(), source.width, source.height, map.x.row(y), map.y.row(y), out.width,
                       out.row(y));
    });
    return out;
}

}  // namespace va
