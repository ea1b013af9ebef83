// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/display_transform.h"

#include <algorithm>
#include <cmath>

namespace va {

float displayFromLinear(float light) {
    if (!(light > 0)) return 0;
    if (light >= 1) return 1;
    return light <= 0.0031308f ? 12.92f * light : 1.055f * std::pow(light, 1 / 2.4f) - 0.055f;
}

float linearFromLog(float code) {
    const auto exposure = [](float c) { return std::pow(10.0f, (c - 685.0f) * 0.002f / 0.6f); };
    static const float black = exposure(95.0f);
    if (!(code == code)) return 0;
    return std::max(0.0f, (exposure(code * 1023.0f) - black) / (1 - black));
}

float linearFromDisplay(float value) {
    if (!(value > 0)) return 0;
    return value <= 0.04045f ? value / 12.92f : std::pow((value + 0.055f) / 1.055f, 2.4f);
}

float lightOf(float stored, PictureEncoding encoding) {
    switch (encoding) {
        case PictureEncoding::linear: return stored;
        case PictureEncoding::log: return linearFromLog(stored);
        case PictureEncoding::display: break;
    }
    return linearFromDisplay(stored);
}

float storedOf(float light, PictureEncoding encoding) {
    switch (encoding) {
        case PictureEncoding::linear: return light;
        case PictureEncoding::log: {
            static const float black = std::pow(10.0f, (95.0f - 685.0f) * 0.002f / 0.6f);
            const float exposure = std::max(0.0f, light) * (1 - black) + black;
            return (685.0f + std::log10(exposure) * 0.6f / 0.002f) / 1023.0f;
        }
        case PictureEncoding::display: break;
    }
    if (!(light > 0)) return 0;
    return light <= 0.0031308f ? 12.92f * light : 1.055f * std::pow(light, 1 / 2.4f) - 0.055f;
}

float displayValue(float stored, PictureEncoding encoding) {
    switch (encoding) {
        case PictureEncoding::linear: return displayFromLinear(stored);
        case PictureEncoding::log: return displayFromLinear(linearFromLog(stored));
        case PictureEncoding::display: break;
    }
    return stored > 0 ? std::min(stored, 1.0f) : 0.0f;
}

}  // namespace va
