// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstring>

/// Part of the function that it is called in, and so compiled for the same processor (VA_CPU_CLONES).
#define VA_INLINE inline __attribute__((always_inline))

// Catmull and Rom's cubic at eight positions at once, where they lie nearly side by side: then the taps of all eight
// are read as runs of eight floats.
namespace va {

/// Eight floats in registers; the compiler's own vector types work on every processor.
using Eight = float __attribute__((vector_size(32)));

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

/// Weights of the four taps −1 … 2 for a position s in 0..1.
VA_INLINE void cubicWeightsAt(float s, float* w) {
    const float s2 = s * s;
    w[0] = s * -0.5f + s2 - 0.5f * s2 * s;
    w[1] = 1 + s2 * (1.5f * s - 2.5f);
    w[2] = 0.5f * s + s2 * (2 - 1.5f * s);
    w[3] = s2 * (0.5f * s - 0.5f);
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

}  // namespace va
