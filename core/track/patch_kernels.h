// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <vector>

namespace va {

/// The order of a square patch's pixels for vector arithmetic: row by row in chunks of eight. The last chunk of a row
/// is moved back to end with the row, so that no chunk leaves the patch; what it repeats must get no weight. Patches
/// less than eight pixels wide repeat their last column instead.
struct PatchLayout {
    static constexpr int lanes = 8;

    explicit PatchLayout(int radius);
    /// The one for a radius, made once. May be called from any thread.
    static std::shared_ptr<const PatchLayout> of(int radius);

    [[nodiscard]] int count() const { return side * chunks * lanes; }
    /// First row (and column) of the k-th third of the patch, k = 0..3.
    [[nodiscard]] int cut(int k) const { return k == 0 ? 0 : k == 1 ? cuts[0] : k == 2 ? cuts[1] : side; }

    int side, chunks;
    int cuts[2];
    std::vector<float> u, v;    ///< offsets from the middle, one per position in the order
    std::vector<int> pixel;     ///< row · side + column, or −1 for what is repeated
    std::vector<float> once;    ///< 1, or 0 for what is repeated
    std::vector<int> third;     ///< of the column, 0..2, by chunk and lane
    std::vector<int> rowThird;  ///< of the row, 0..2, by row
};

/// Samples `picture` at (m0 u + m1 v + m4, m2 u + m3 v + m5) with the Catmull–Rom cubic, for n positions, n a multiple
/// of eight. The caller has checked that all taps are inside. Eight positions side by side in the reference are
/// quickest where they lie nearly side by side in the picture as well.
void sampleCubic(const float* picture, int stride, const float* u, const float* v, int n, const float* m, float* out);

/// Sums over the rows begin..end of a patch, by chunk and lane: for each chunk nine times eight floats,
/// { Σ w I, Σ w I², Σ I T, Σ I gx, Σ I gy, Σ I gx u, Σ I gx v, Σ I gy u, Σ I gy v } with I the picture less `offset`.
/// The weight w is in T, gx and gy already. Reads as little memory as it can: that is what a step waits for.
void projectRows(const PatchLayout& layout, int begin, int end, const float* picture, float offset, const float* w,
                 const float* T, const float* gx, const float* gy, float* sums);

/// The cubic of sampleCubic for a whole rectangle that is only shifted: adds `share` times the picture at (x + i, y +
/// j) to `out`, for i < width, j < height. `width` is at least eight; rows of `out` are a multiple of eight long. The
/// caller has checked that all taps are inside.
void addShifted(const float* picture, int stride, float x, float y, int width, int height, float share, float* out,
                int outStride);

/// Grey levels under a patch, and their gradients (half of the difference of the neighbours), in the layout's order.
/// `middle` is the patch's middle in a picture that reaches a pixel beyond it.
void levelsAndGradients(const PatchLayout& layout, const float* middle, int stride, float* levels, float* gx,
                        float* gy);

/// Second moments of the steepest-descent images r = (gx, gy, gx u, gx v, gy u, gy v): Σ w r rᵀ. gx and gy are given
/// twice, plain and times the weight.
void descentMoments(const PatchLayout& layout, const float* gx, const float* gy, const float* weighedGx,
                    const float* weighedGy, double moments[6][6]);

/// Σ (J ⊛ h)(J ⊛ h)ᵀ over the pixels around a patch, h = (1 2 1)/4 along both axes, with J = w r − w one − T along and
/// the patch's own surroundings 0. w, T, gx, gy as for projectRows.
void blurredMoments(const PatchLayout& layout, const float* w, const float* T, const float* gx, const float* gy,
                    const float one[6], const float along[6], double moments[6][6]);

/// Adds (I · scale − bias − T)² to `squares`, n of each.
void addSquares(const float* I, const float* T, int n, float scale, float bias, float* squares);

}  // namespace va
