// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/compose.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/parallel.h"
#include "media/display_transform.h"
#include "proof/sample_sequence.h"

namespace va {
namespace {

/// What of a pixel the insert is made of.
struct Mixed {
    Eigen::Vector3f added;  ///< light of things and mirrors
    Eigen::Vector3f left;   ///< share of the plate's light that stays
    float covered;          ///< by things and mirrors
};

Mixed mixedAt(const ProofLayers& l, size_t i, const ComposeOptions& o) {
    const float n = 1 / float(std::max(1, l.samples));
    const Eigen::Vector4f c = n * l.colour[i], m = n * l.mirrored[i];
    const auto grade = [&](const Eigen::Vector4f& v) -> Eigen::Vector3f {
        // Light that is added has no coverage to be divided by.
        const float a = v.w() > 0 ? v.w() : 1;
        return a * graded(v.head<3>() / a, o.look);
    };
    Mixed out;
    out.covered = std::min(1.0F, c.w() + m.w());
    out.added = grade(c) + grade(m);
    const float catcher = std::clamp(n * l.caught[i] - m.w(), 0.0F, 1.0F);
    const Eigen::Vector3f ratio = l.shade(i, o.ambient);
    out.left = Eigen::Vector3f::Constant(1 - out.covered) - catcher * (Eigen::Vector3f::Ones() - ratio);
    out.left = out.left.cwiseMax(0);
    return out;
}

float frontAt(const ComposeOptions& o, int x, int y) {
    x -= o.left, y -= o.top;
    if (!o.front || x < 0 || y < 0 || x >= o.front->width || y >= o.front->height) return 0;
    return std::clamp(o.front->at(x, y), 0.0F, 1.0F);
}

float noiseAt(int x, int y, uint32_t seed) {
    const uint32_t h = hashOf(uint32_t(x), hashOf(uint32_t(y), seed));
    const float u = (float(h >> 8) + 0.5F) * 0x1p-24F, v = float(hashOf(h) >> 8) * 0x1p-24F;
    return std::sqrt(-2 * std::log(u)) * std::cos(2 * std::numbers::pi_v<float> * v);
}

}  // namespace

Eigen::Vector3f graded(const Eigen::Vector3f& c, const ProofLook& k) {
    if (k.lift == 0 && k.gamma == 1 && k.gain == 1 && k.saturation == 1 && k.tint == Eigen::Vector3d(1, 1, 1)) return c;
    Eigen::Vector3f out;
    for (int i = 0; i < 3; ++i) {
        const float v = float(k.gain * k.tint[i]) * c[i] + float(k.lift);
        out[i] = v > 0 ? std::pow(v, float(1 / k.gamma)) : 0;
    }
    // ITU-R BT.709, item 3.2.
    const float luma = 0.2126F * out.x() + 0.7152F * out.y() + 0.0722F * out.z();
    return (Eigen::Vector3f::Constant(luma) + float(k.saturation) * (out - Eigen::Vector3f::Constant(luma)))
        .cwiseMax(0);
}

float grainAt(int x, int y, int channel, uint32_t seed, float size) {
    const uint32_t own = hashOf(seed, uint32_t(channel));
    // A small Gaussian over independent noise; divided by its own length the sigma stays.
    const float sigma = std::max(0.0F, (size - 1) / 2);
    if (sigma < 0.05F) return noiseAt(x, y, own);
    float sum = 0, squares = 0;
    for (int dy = -2; dy <= 2; ++dy)
        for (int dx = -2; dx <= 2; ++dx) {
            const float w = std::exp(-float(dx * dx + dy * dy) / (2 * sigma * sigma));
            sum += w * noiseAt(x + dx, y + dy, own), squares += w * w;
        }
    return sum / std::sqrt(squares);
}

float keyed(const PlateKey& key, const Eigen::Vector3f& display) {
    if (!key.on) return 0;
    float value = 0.2126F * display.x() + 0.7152F * display.y() + 0.0722F * display.z();
    float low = float(key.low), high = float(key.high);
    if (key.by == PlateKey::By::hue) {
        const float most = display.maxCoeff(), range = most - display.minCoeff();
        if (!(range > 0.02F)) return key.invert ? 1 : 0;  // grey has no hue
        int i = 0;
        display.maxCoeff(&i);
        value = 60 * (float(2 * i) + (display[(i + 1) % 3] - display[(i + 2) % 3]) / range);
        if (value < 0) value += 360;
        // The range may go through red.
        if (high < low) high += 360;
        if (value < low - 180 + (high - low) / 2) value += 360;
    }
    const float half = std::max(1e-6F, float(key.softness) / 2);
    const auto rise = [&](float at) { return std::clamp((value - at) / (2 * half) + 0.5F, 0.0F, 1.0F); };
    const float in = std::min(rise(low), 1 - rise(high));
    return key.invert ? 1 - in : in;
}

Picture insertOf(const ProofLayers& l, const ComposeOptions& o) {
    Picture out(l.width, l.height);
    parallelRanges(l.height, 16, [&](int begin, int end) {
        for (int y = begin; y < end; ++y)
            for (int x = 0; x < l.width; ++x) {
                const size_t i = size_t(y) * size_t(l.width) + size_t(x);
                float* c = out.at(x, y);
                if (!l.touched(i)) continue;
                const Mixed m = mixedAt(l, i, o);
                const float before = 1 - frontAt(o, x, y);
                const float left = m.left.mean();
                for (int k = 0; k < 3; ++k) c[k] = before * m.added[k];
                c[3] = before * (1 - left);
            }
    });
    return out;
}

Picture composed(const Picture& plate, PictureEncoding encoding, const ProofLayers& l, const ComposeOptions& o) {
    Picture out(l.width, l.height);
    parallelRanges(l.height, 16, [&](int begin, int end) {
        for (int y = begin; y < end; ++y)
            for (int x = 0; x < l.width; ++x) {
                const size_t i = size_t(y) * size_t(l.width) + size_t(x);
                float* c = out.at(x, y);
                const int px = std::clamp(x - o.left, 0, plate.width - 1),
                          py = std::clamp(y - o.top, 0, plate.height - 1);
                const float* p = plate.at(px, py);
                std::copy(p, p + 4, c);
                const float before = 1 - frontAt(o, x, y);
                if (!l.touched(i) || before <= 0) continue;
                const Mixed m = mixedAt(l, i, o);
                for (int k = 0; k < 3; ++k) {
                    const float light = lightOf(p[k], encoding);
                    float v = storedOf(m.added[k] + m.left[k] * light, encoding);
                    // The plate's own grain goes on where the plate is left.
                    if (o.grainSigma[k] > 0 && m.covered > 0)
                        v += m.covered * o.grainSigma[k] * grainAt(x - o.left, y - o.top, k, o.seed, o.grainSize);
                    if (encoding != PictureEncoding::linear) v = std::clamp(v, 0.0F, 1.0F);
                    c[k] = before < 1 ? storedOf(before * lightOf(v, encoding) + (1 - before) * light, encoding) : v;
                }
                c[3] = std::max(p[3], before * m.covered);
            }
    });
    return out;
}

}  // namespace va
