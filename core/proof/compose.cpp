// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/compose.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>

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

namespace {

/// What the insert does to each pixel, with the lens's fringe: red and blue are read from a little further in, between
/// pixels; without one nothing is read between pixels.
class Insert {
  public:
    Insert(const ProofLayers& l, const ComposeOptions& o, int plateWidth, int plateHeight) : l_(l), o_(o) {
        middle_ = {float(o.left) + float(plateWidth - 1) / 2, float(o.top) + float(plateHeight - 1) / 2};
        const float corner = std::hypot(float(plateWidth), float(plateHeight)) / 2;
        in_ = Eigen::Vector2f(float(o.look.fringeRed), float(o.look.fringeBlue)) / (corner * o.step);
        fringe_ = o.look.fringeRed != 0 || o.look.fringeBlue != 0;
    }
    /// Nothing where the plate stays as it is.
    [[nodiscard]] std::optional<Mixed> at(int x, int y) const {
        const size_t i = index(x, y);
        if (!fringe_) return l_.touched(i) ? std::optional(mixedAt(l_, i, o_)) : std::nullopt;
        const auto red = between(x, y, in_.x()), blue = between(x, y, in_.y());
        if (!red && !blue && !l_.touched(i)) return std::nullopt;
        const Mixed none{Eigen::Vector3f::Zero(), Eigen::Vector3f::Ones(), 0};
        Mixed out = l_.touched(i) ? mixedAt(l_, i, o_) : none;
        const Mixed r = red.value_or(none), b = blue.value_or(none);
        out.added[0] = r.added[0], out.left[0] = r.left[0];
        out.added[2] = b.added[2], out.left[2] = b.left[2];
        return out;
    }

  private:
    [[nodiscard]] size_t index(int x, int y) const { return size_t(y) * size_t(l_.width) + size_t(x); }
    [[nodiscard]] std::optional<Mixed> between(int x, int y, float share) const {
        const float u = float(x) - share * (float(x) - middle_.x()), v = float(y) - share * (float(y) - middle_.y());
        const int x0 = int(std::floor(u)), y0 = int(std::floor(v));
        Mixed sum{Eigen::Vector3f::Zero(), Eigen::Vector3f::Zero(), 0};
        bool any = false;
        for (int k = 0; k < 4; ++k) {
            const int cx = std::clamp(x0 + (k & 1), 0, l_.width - 1), cy = std::clamp(y0 + (k >> 1), 0, l_.height - 1);
            const float w =
                ((k & 1) ? u - float(x0) : 1 - u + float(x0)) * ((k >> 1) ? v - float(y0) : 1 - v + float(y0));
            if (!l_.touched(index(cx, cy))) {
                sum.left += Eigen::Vector3f::Constant(w);
                continue;
            }
            const Mixed m = mixedAt(l_, index(cx, cy), o_);
            sum.added += w * m.added, sum.left += w * m.left, sum.covered += w * m.covered;
            any = any || w > 0;
        }
        return any ? std::optional(sum) : std::nullopt;
    }
    const ProofLayers& l_;
    const ComposeOptions& o_;
    Eigen::Vector2f middle_, in_;
    bool fringe_ = false;
};

/// The plate as panes shift it.
Eigen::Vector4f shiftedPlate(const Picture& plate, float x, float y) {
    x = std::clamp(x, 0.0F, float(plate.width - 1)), y = std::clamp(y, 0.0F, float(plate.height - 1));
    const int x0 = std::min(int(x), std::max(0, plate.width - 2)), y0 = std::min(int(y), std::max(0, plate.height - 2));
    const float fx = x - float(x0), fy = y - float(y0);
    const auto c = [&](int u, int v) {
        return Eigen::Vector4f(
            Eigen::Map<const Eigen::Vector4f>(plate.at(std::min(u, plate.width - 1), std::min(v, plate.height - 1))));
    };
    return (1 - fy) * ((1 - fx) * c(x0, y0) + fx * c(x0 + 1, y0)) +
           fy * ((1 - fx) * c(x0, y0 + 1) + fx * c(x0 + 1, y0 + 1));
}

}  // namespace

Picture insertOf(const ProofLayers& l, const ComposeOptions& o) {
    Picture out(l.width, l.height);
    const Insert insert(l, o, l.width - 2 * o.left, l.height - 2 * o.top);
    parallelRanges(l.height, 16, [&](int begin, int end) {
        for (int y = begin; y < end; ++y)
            for (int x = 0; x < l.width; ++x) {
                const auto m = insert.at(x, y);
                if (!m) continue;
                float* c = out.at(x, y);
                const float before = 1 - frontAt(o, x, y);
                for (int k = 0; k < 3; ++k) c[k] = before * m->added[k];
                c[3] = before * (1 - m->left.mean());
            }
    });
    return out;
}

Picture composed(const Picture& plate, PictureEncoding encoding, const ProofLayers& l, const ComposeOptions& o) {
    Picture out(l.width, l.height);
    const Insert insert(l, o, plate.width, plate.height);
    parallelRanges(l.height, 16, [&](int begin, int end) {
        for (int y = begin; y < end; ++y)
            for (int x = 0; x < l.width; ++x) {
                const size_t i = size_t(y) * size_t(l.width) + size_t(x);
                float* c = out.at(x, y);
                const int px = std::clamp(x - o.left, 0, plate.width - 1),
                          py = std::clamp(y - o.top, 0, plate.height - 1);
                Eigen::Vector4f p = Eigen::Map<const Eigen::Vector4f>(plate.at(px, py));
                const float before = 1 - frontAt(o, x, y);
                const auto m = before > 0 ? insert.at(x, y) : std::nullopt;
                if (m && !l.shifted.empty() && l.shifted[i].z() > 0) {
                    const Eigen::Vector2f shift = l.shifted[i].head<2>() / l.shifted[i].z();
                    const float covered = std::min(1.0F, l.shifted[i].z() / float(std::max(1, l.samples)));
                    p += covered *
                         (shiftedPlate(plate, float(px) + shift.x() / o.step, float(py) + shift.y() / o.step) - p);
                }
                std::copy_n(p.data(), 4, c);
                if (!m) continue;
                for (int k = 0; k < 3; ++k) {
                    const float light = lightOf(p[k], encoding);
                    float v = storedOf(m->added[k] + m->left[k] * light, encoding);
                    // The plate's own grain goes on where the plate is left.
                    if (o.grainSigma[k] > 0 && m->covered > 0)
                        v += m->covered * o.grainSigma[k] * grainAt(x - o.left, y - o.top, k, o.seed, o.grainSize);
                    if (encoding != PictureEncoding::linear) v = std::clamp(v, 0.0F, 1.0F);
                    // What lies in front is the plate as it is.
                    const float own = lightOf(plate.at(px, py)[k], encoding);
                    c[k] = before < 1 ? storedOf(before * lightOf(v, encoding) + (1 - before) * own, encoding) : v;
                }
                c[3] = std::max(p[3], before * m->covered);
            }
    });
    return out;
}

}  // namespace va
