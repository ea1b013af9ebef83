// SPDX-License-Identifier: GPL-3.0-or-later
#include "lens/stmap.h"

#include <limits>

namespace va {

Picture stmapOf(const PixelMap& map, int sourceWidth, int sourceHeight) {
    Picture out(map.x.width, map.x.height);
    for (size_t i = 0; i < map.x.data.size(); ++i) {
        const float x = map.x.data[i], y = map.y.data[i];
        float* to = &out.data[4 * i];
        const bool known = x == x && y == y;
        to[0] = known ? float((double(x) + 0.5) / sourceWidth) : -1.0f;
        to[1] = known ? float(1 - (double(y) + 0.5) / sourceHeight) : -1.0f;
        to[2] = 0;
        to[3] = known ? 1.0f : 0.0f;
    }
    return out;
}

PixelMap mapOfStmap(const Picture& stmap, int sourceWidth, int sourceHeight) {
    constexpr float nothing = std::numeric_limits<float>::quiet_NaN();
    PixelMap out{Plane<float>(stmap.width, stmap.height), Plane<float>(stmap.width, stmap.height)};
    for (size_t i = 0; i < out.x.data.size(); ++i) {
        const float* from = &stmap.data[4 * i];
        const auto x = float(double(from[0]) * sourceWidth - 0.5),
                   y = float((1 - double(from[1])) * sourceHeight - 0.5);
        const bool known = from[3] > 0.5f && x >= -0.5f && y >= -0.5f && x <= float(sourceWidth) - 0.5f &&
                           y <= float(sourceHeight) - 0.5f;
        out.x.data[i] = known ? x : nothing;
        out.y.data[i] = known ? y : nothing;
    }
    return out;
}

}  // namespace va
