// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "base/picture.h"
#include "media/display_transform.h"

namespace va {
namespace ray_scene {

/// Display values of a byte as linear light.
inline const std::array<float, 256>& linearOfByte() {
    static const std::array<float, 256> table = [] {
        std::array<float, 256> t{};
        for (size_t i = 0; i < t.size(); ++i) t[i] = linearFromDisplay(float(i) / 255);
        return t;
    }();
    return table;
}

/// A picture in halves of its size down to one px, so that a distant one is read as its mean. Linear light multiplied
/// by alpha, 16 bits.
class MipPicture {
  public:
    explicit MipPicture(const Picture8& full) {
        Level& first = levels_.emplace_back(full.width, full.height);
        for (size_t i = 0; i < full.data.size(); i += 4) {
            const uint8_t a = full.data[i + 3];
            for (size_t c = 0; c < 3; ++c) {
                // Bytes are display values multiplied by alpha: the curve belongs to the colour itself.
                const float v = a == 255 ? linearOfByte()[full.data[i + c]]
                                : a == 0 ? linearOfByte()[full.data[i + c]]
                                         : linearFromDisplay(float(full.data[i + c]) / float(a)) * float(a) / 255;
                first.data[i + c] = uint16_t(std::lround(65535 * std::min(1.0F, v)));
            }
            first.data[i + 3] = uint16_t(a * 257);
        }
        while (levels_.back().width > 1 || levels_.back().height > 1) {
            const Level& above = levels_.back();
            Level half(std::max(1, above.width / 2), std::max(1, above.height / 2));
            for (int y = 0; y < half.height; ++y)
                for (int x = 0; x < half.width; ++x)
                    for (int c = 0; c < 4; ++c) {
                        unsigned sum = 2;
                        for (int k = 0; k < 4; ++k)
                            sum += above.at(std::min(2 * x + k % 2, above.width - 1),
                                            std::min(2 * y + k / 2, above.height - 1))[c];
                        half.at(x, y)[c] = uint16_t(sum / 4);
                    }
            levels_.push_back(std::move(half));
        }
    }
    [[nodiscard]] int width() const { return levels_[0].width; }
    [[nodiscard]] int height() const { return levels_[0].height; }
    /// `texels` is the width of what is looked at, px of the whole picture.
    [[nodiscard]] Eigen::Vector4f at(const Eigen::Vector2f& uv, float texels) const {
        const float level = std::clamp(std::log2(std::max(1.0F, texels)), 0.0F, float(levels_.size() - 1));
        const auto low = size_t(level);
        const float share = level - float(low);
        const Eigen::Vector4f a = read(levels_[low], uv);
        return share > 0 ? Eigen::Vector4f((1 - share) * a + share * read(levels_[low + 1], uv)) : a;
    }

  private:
    using Level = ColourPicture<uint16_t>;
    [[nodiscard]] static Eigen::Vector4f read(const Level& p, const Eigen::Vector2f& uv) {
        const float x = std::clamp(uv.x() * float(p.width) - 0.5F, 0.0F, float(p.width - 1)),
                    y = std::clamp((1 - uv.y()) * float(p.height) - 0.5F, 0.0F, float(p.height - 1));
        const int x0 = int(x), y0 = int(y), x1 = std::min(x0 + 1, p.width - 1), y1 = std::min(y0 + 1, p.height - 1);
        const float fx = x - float(x0), fy = y - float(y0);
        const auto c = [&](int px, int py) {
            const uint16_t* v = p.at(px, py);
            return Eigen::Vector4f(float(v[0]), float(v[1]), float(v[2]), float(v[3]));
        };
        return ((1 - fy) * ((1 - fx) * c(x0, y0) + fx * c(x1, y0)) + fy * ((1 - fx) * c(x0, y1) + fx * c(x1, y1))) /
               65535;
    }
    std::vector<Level> levels_;
};

}  // namespace ray_scene
}  // namespace va
