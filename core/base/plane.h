// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstddef>
#include <cstdint>
#include <vector>

namespace va {

/// A single-channel picture in memory: rows from the top, no padding. (0, 0) is the centre of the top-left pixel.
template <class T>
struct Plane {
    int width = 0;
    int height = 0;
    std::vector<T> data;

    Plane() = default;
    Plane(int w, int h) : width(w), height(h), data(size_t(w) * size_t(h)) {}
    [[nodiscard]] bool empty() const { return data.empty(); }
    [[nodiscard]] T* row(int y) { return data.data() + size_t(y) * size_t(width); }
    [[nodiscard]] const T* row(int y) const { return data.data() + size_t(y) * size_t(width); }
    [[nodiscard]] T& at(int x, int y) { return row(y)[x]; }
    [[nodiscard]] const T& at(int x, int y) const { return row(y)[x]; }
};

/// Display-encoded luma in 0..255 as float: what features are found and tracked in.
using Luma = Plane<float>;

/// What is shown: 32-bit words 0xffRRGGBB, ready for painting.
using DisplayPicture = Plane<uint32_t>;

}  // namespace va
