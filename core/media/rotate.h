// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstring>
#include <utility>

#include "base/picture.h"
#include "base/plane.h"

namespace va {

/// The picture turned clockwise by 0, 90, 180 or 270 degrees; pixel values are only moved, never mixed.
template <class T>
Plane<T> rotated(Plane<T> in, int degreesClockwise) {
    if (degreesClockwise == 0) return in;
    const bool swap = degreesClockwise != 180;
    Plane<T> out(swap ? in.height : in.width, swap ? in.width : in.height);
    for (int y = 0; y < out.height; ++y)
        for (int x = 0; x < out.width; ++x) {
            switch (degreesClockwise) {
                case 90: out.at(x, y) = in.at(y, in.height - 1 - x); break;
                case 180: out.at(x, y) = in.at(in.width - 1 - x, in.height - 1 - y); break;
                default: out.at(x, y) = in.at(in.width - 1 - y, x); break;
            }
        }
    return out;
}

/// The same for colour.
template <class T>
ColourPicture<T> rotated(ColourPicture<T> in, int degreesClockwise) {
    if (degreesClockwise == 0) return in;
    struct Pixel {
        T value[4];
    };
    Plane<Pixel> pixels(in.width, in.height);
    std::memcpy(pixels.data.data(), in.data.data(), in.data.size() * sizeof(T));
    pixels = rotated(std::move(pixels), degreesClockwise);
    in.width = pixels.width, in.height = pixels.height;
    std::memcpy(in.data.data(), pixels.data.data(), in.data.size() * sizeof(T));
    return in;
}

}  // namespace va
