// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <array>
#include <cstdint>
#include <vector>

#include "proof/lanes.h"

namespace va {

/// A number that looks random, from another one (Wellons, "Prospecting for hash functions", 2018: lowbias32).
constexpr uint32_t hashOf(uint32_t x) {
    x ^= x >> 16, x *= 0x7feb352dU;
    x ^= x >> 15, x *= 0x846ca68bU;
    return x ^ (x >> 16);
}
constexpr uint32_t hashOf(uint32_t a, uint32_t b) {
    return hashOf(a ^ (hashOf(b) + 0x9e3779b9U + (a << 6) + (a >> 2)));
}

/// Points of the unit square that fill it evenly however many are taken: the first two dimensions of Sobol's sequence
/// with nested uniform scrambling by a hash, its order shuffled for each use (Burley, "Practical Hash-based Owen
/// Scrambling", JCGT 9(4), 2020). The same seed, use and index give the same point.
class SampleSequence {
  public:
    explicit SampleSequence(uint32_t seed) : seed_(seed) {}
    /// The point of an index for a purpose: different purposes are independent. Both numbers lie in [0, 1).
    [[nodiscard]] Eigen::Vector2f at(uint32_t index, uint32_t use) const {
        const auto bits = bitsAt(index, use);
        return {unit(bits[0]), unit(bits[1])};
    }
    /// The same as binary fractions.
    [[nodiscard]] std::array<uint32_t, 2> bitsAt(uint32_t index, uint32_t use) const {
        const uint32_t seed = hashOf(seed_, use);
        const uint32_t i = scrambled(index, seed);
        return {scrambled(reversed(i), hashOf(seed, 1)), scrambled(second(i), hashOf(seed, 2))};
    }
    static constexpr float unit(uint32_t x) { return float(int(x >> 8)) * 0x1p-24F; }

  private:
    static constexpr uint32_t reversed(uint32_t x) {
        x = ((x >> 1) & 0x55555555U) | ((x & 0x55555555U) << 1);
        x = ((x >> 2) & 0x33333333U) | ((x & 0x33333333U) << 2);
        x = ((x >> 4) & 0x0f0f0f0fU) | ((x & 0x0f0f0f0fU) << 4);
        return __builtin_bswap32(x);
    }
    /// Sobol's second dimension, byte by byte of the index.
    static constexpr std::array<std::array<uint32_t, 256>, 4> secondOfBytes = [] {
        std::array<std::array<uint32_t, 256>, 4> out{};
        for (uint32_t byte = 0; byte < 4; ++byte)
            for (uint32_t value = 0; value < 256; ++value) {
                uint32_t v = 1U << 31, sum = 0;
                for (uint32_t bit = 0; bit < 32; ++bit, v ^= v >> 1)
                    if (bit / 8 == byte && (value >> bit % 8 & 1U)) sum ^= v;
                out[byte][value] = sum;
            }
        return out;
    }();
    static constexpr uint32_t second(uint32_t i) {
        return secondOfBytes[0][i & 255U] ^ secondOfBytes[1][i >> 8 & 255U] ^ secondOfBytes[2][i >> 16 & 255U] ^
               secondOfBytes[3][i >> 24];
    }
    /// Owen's scrambling: each bit is turned by a hash of those above it.
    static constexpr uint32_t scrambled(uint32_t x, uint32_t seed) {
        x = reversed(x);
        x += seed;
        x ^= x * 0x6c50b47cU;
        x ^= x * 0xb82f1e52U;
        x ^= x * 0xc7afe638U;
        x ^= x * 0x8d22f6e6U;
        return reversed(x);
    }
    uint32_t seed_;
};

/// The same for many pixels: the first points of each use are made once, and every pixel shifts them around the square
/// by an amount of its own (Cranley & Patterson, SIAM J. Numer. Anal. 13, 1976). Later points are made one by one.
class SampleTable {
  public:
    SampleTable(uint32_t seed, uint32_t uses)
        : sequence_(seed), seed_(seed), uses_(uses), points_(size_t(uses) * count) {
        for (uint32_t use = 0; use < uses; ++use)
            for (uint32_t i = 0; i < count; ++i) points_[size_t(use) * count + i] = sequence_.bitsAt(i, use);
    }
    [[nodiscard]] Eigen::Vector2f at(uint32_t pixel, uint32_t index, uint32_t use) const {
        if (index >= count || use >= uses_) return SampleSequence(hashOf(seed_, pixel)).at(index, use);
        const uint32_t h = hashOf(pixel * 0x9e3779b9U + use * 0x85ebca6bU + seed_);
        const auto& p = points_[size_t(use) * count + index];
        // Sums of binary fractions go around by themselves.
        return {SampleSequence::unit(p[0] + (h & 0xffff0000U)), SampleSequence::unit(p[1] + (h << 16))};
    }

    /// The same for pixels that are followed together.
    void at(const LaneIndices& pixels, const LaneIndices& indices, uint32_t use, Lanes& u, Lanes& v) const;

  private:
    static constexpr uint32_t count = 256;
    SampleSequence sequence_;
    uint32_t seed_, uses_;
    std::vector<std::array<uint32_t, 2>> points_;
};

}  // namespace va
