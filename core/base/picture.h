// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstddef>
#include <cstdint>
#include <vector>

namespace va {

/// A colour picture in memory: red, green, blue, alpha side by side, rows from the top, no padding. (0, 0) is the
/// centre of the top-left pixel. Colour is multiplied by alpha.
template <class T>
struct ColourPicture {
    int width = 0;
    int height = 0;
    std::vector<T> data;

    ColourPicture() = default;
    ColourPicture(int w, int h) : width(w), height(h), data(4 * size_t(w) * size_t(h)) {}
    [[nodiscard]] bool empty() const { return data.empty(); }
    [[nodiscard]] T* at(int x, int y) { return data.data() + 4 * (size_t(y) * size_t(width) + size_t(x)); }
    [[nodiscard]] const T* at(int x, int y) const { return data.data() + 4 * (size_t(y) * size_t(width) + size_t(x)); }
};

/// Code values of the files as float, 1 = white of the format (linear files may go beyond).
using Picture = ColourPicture<float>;
using Picture8 = ColourPicture<uint8_t>;

}  // namespace va
