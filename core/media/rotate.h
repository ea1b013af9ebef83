// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstring>
#include <utility>

#include "base/picture.h"
#include "base/plane.h"

namespace va {

/// How stored rows have to be turned to stand upright: mirrored left to right first, then turned clockwise.
struct Orientation {
    int rotation = 0;  ///< 0, 90, 180 or 270 degrees clockwise
    bool mirrored = false;

    [[nodiscard]] bool turned() const { return rotation % 180 != 0; }
    friend bool operator==(const Orientation&, const Orientation&) = default;

    /// Of the Orientation tag, 1..8 (EXIF 2.3, tag 274; TIFF 6.0, section 8). Other numbers are upright.
    static Orientation ofExif(int tag) {
        switch (tag) {
            case 2: return {0, true};
            case 3: return {180, false};
            case 4: return {180, true};
            case 5: return {270, true};
            case 6: return {90, false};
            case 7: return {90, true};
            case 8: return {270, false};
            default: return {};
        }
    }
};

/// The picture upright; pixel values are only moved, never mixed.
template <class T>
Plane<T> upright(Plane<T> in, Orientation o) {
    if (o == Orientation{}) return in;
    const bool swap = o.turned();
    Plane<T> out(swap ? in.height : in.width, swap ? in.width : in.height);
    for (int y = 0; y < out.height; ++y)
        for (int x = 0; x < out.width; ++x) {
            int fromX = x, fromY = y;
            switch (o.rotation) {
                case 90: fromX = y, fromY = in.height - 1 - x; break;
                case 180: fromX = in.width - 1 - x, fromY = in.height - 1 - y; break;
                case 270: fromX = in.width - 1 - y, fromY = x; break;
                default: break;
            }
            out.at(x, y) = in.at(o.mirrored ? in.width - 1 - fromX : fromX, fromY);
        }
    return out;
}

/// The same for colour.
template <class T>
ColourPicture<T> upright(ColourPicture<T> in, Orientation o) {
    if (o == Orientation{}) return in;
    struct Pixel {
        T value[4];
    };
    Plane<Pixel> pixels(in.width, in.height);
    std::memcpy(pixels.data.data(), in.data.data(), in.data.size() * sizeof(T));
    pixels = upright(std::move(pixels), o);
    in.width = pixels.width, in.height = pixels.height;
    std::memcpy(in.data.data(), pixels.data.data(), in.data.size() * sizeof(T));
    return in;
}

}  // namespace va
