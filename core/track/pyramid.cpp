// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/pyramid.h"

#include <algorithm>
#include <utility>

#include "base/cpu_clones.h"

namespace va {
namespace {

/// out = (a + 2 b + c) / 4 for whole rows.
VA_CPU_CLONES void blend121(const float* a, const float* b, const float* c, float* __restrict out, int n) {
    for (int x = 0; x < n; ++x) out[x] = 0.25f * (a[x] + c[x]) + 0.5f * b[x];
}

VA_CPU_CLONES void blend14641(const float* a, const float* b, const float* c, const float* d, const float* e,
                              float* __restrict out, int n) {
    for (int x = 0; x < n; ++x) out[x] = 0.0625f * (a[x] + e[x]) + 0.25f * (b[x] + d[x]) + 0.375f * c[x];
}

VA_CPU_CLONES void halveRow(const float* __restrict in, float* __restrict out, int n) {
    for (int x = 0; x < n; ++x) {
        const float* p = in + 2 * x;
        out[x] = 0.0625f * (p[0] + p[4]) + 0.25f * (p[1] + p[3]) + 0.375f * p[2];
    }
}

Luma sized(Luma spare, int width, int height) {
    spare.width = width;
    spare.height = height;
    spare.data.resize(size_t(width) * size_t(height));
    return spare;
}

/// One row under (1 2 1)/4 each way, of the rows around it; `line` has room for two pixels more.
void blurRow(const float* above, const float* row, const float* below, std::vector<float>& line, float* out, int n) {
    blend121(above, row, below, line.data() + 1, n);
    line.front() = line[1];
    line[size_t(n) + 1] = line[size_t(n)];
    blend121(line.data(), line.data() + 1, line.data() + 2, out, n);
}

Luma lightlyBlurred(const Luma& in, Luma spare) {
    Luma out = sized(std::move(spare), in.width, in.height);
    std::vector<float> line(size_t(in.width) + 2);
    for (int y = 0; y < in.height; ++y)
        blurRow(in.row(std::max(0, y - 1)), in.row(y), in.row(std::min(in.height - 1, y + 1)), line, out.row(y),
                in.width);
    return out;
}

/// Makes the level after another row by row, as far as the rows it looks at are there: pictures are larger than what
/// the processor keeps at hand, so each part is best worked on while it is.
class Halving {
  public:
    Halving(const Luma& in, Luma spare)
        : in_(in),
          out_(sized(std::move(spare), (in.width + 1) / 2, (in.height + 1) / 2)),
          line_(size_t(in.width) + 6) {}
    /// `rows` of the level before are ready.
    void goOn(int rows) {
        const auto row = [&](int y) { return in_.row(std::clamp(y, 0, in_.height - 1)); };
        for (; next_ < out_.height && (rows == in_.height || 2 * next_ + 2 < rows); ++next_) {
            const int y = 2 * next_;
            blend14641(row(y - 2), row(y - 1), row(y), row(y + 1), row(y + 2), line_.data() + 2, in_.width);
            line_[0] = line_[1] = line_[2];
            for (size_t i = size_t(in_.width) + 2; i < line_.size(); ++i) line_[i] = line_[size_t(in_.width) + 1];
            halveRow(line_.data(), out_.row(next_), out_.width);
        }
    }
    [[nodiscard]] Luma take() { return std::move(out_); }

  private:
    const Luma& in_;
    Luma out_;
    std::vector<float> line_;
    int next_ = 0;
};

}  // namespace

Pyramid::Pyramid(Luma picture, int levels, Pyramid spare) {
    const auto memory = [&](size_t level) {
        return level < spare.levels_.size() ? std::move(spare.levels_[level]) : Luma();
    };
    const auto goesOn = [&](const Luma& last) {
        return int(levels_.size()) < levels && std::min(last.width, last.height) >= 32;
    };
    // No pointer into it moves while the first two levels are made side by side.
    levels_.reserve(size_t(std::max(2, levels)));
    levels_.push_back(std::move(picture));
    Luma& first = levels_.front();
    const bool halved = goesOn(first);
    Halving second(first, halved ? memory(1) : Luma());
    std::vector<float> line(size_t(first.width) + 2), above(first.row(0), first.row(0) + first.width), row = above;
    for (int y = 0; y < first.height; ++y) {
        std::copy_n(first.row(y), first.width, row.data());
        blurRow(above.data(), row.data(), first.row(std::min(first.height - 1, y + 1)), line, first.row(y),
                first.width);
        above.swap(row);
        if (halved) second.goOn(y + 1);
    }
    if (halved) levels_.push_back(second.take());
    while (goesOn(levels_.back())) {
        Halving next(levels_.back(), memory(levels_.size()));
        next.goOn(levels_.back().height);
        levels_.push_back(next.take());
    }
    softer_ = std::make_unique<Softer>();
    if (spare.softer_) softer_->luma = std::move(spare.softer_->luma);
}

Luma Pyramid::takePicture() { return levels_.empty() ? Luma() : std::move(levels_.front()); }

const Luma& Pyramid::softer() const {
    std::call_once(softer_->made,
                   [this] { softer_->luma = lightlyBlurred(levels_.front(), std::move(softer_->luma)); });
    return softer_->luma;
}

}  // namespace va
