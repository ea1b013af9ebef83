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

Luma lightlyBlurred(const Luma& in, Luma spare) {
    Luma out = sized(std::move(spare), in.width, in.height);
    std::vector<float> line(size_t(in.width) + 2);
    for (int y = 0; y < in.height; ++y) {
        blend121(in.row(std::max(0, y - 1)), in.row(y), in.row(std::min(in.height - 1, y + 1)), line.data() + 1,
                 in.width);
        line.front() = line[1];
        line.back() = line[size_t(in.width)];
        blend121(line.data(), line.data() + 1, line.data() + 2, out.row(y), in.width);
    }
    return out;
}

Luma halved(const Luma& in, Luma spare) {
    Luma out = sized(std::move(spare), (in.width + 1) / 2, (in.height + 1) / 2);
    std::vector<float> line(size_t(in.width) + 6);
    const auto row = [&](int y) { return in.row(std::clamp(y, 0, in.height - 1)); };
    for (int y = 0; y < out.height; ++y) {
        blend14641(row(2 * y - 2), row(2 * y - 1), row(2 * y), row(2 * y + 1), row(2 * y + 2), line.data() + 2,
                   in.width);
        line[0] = line[1] = line[2];
        for (size_t i = size_t(in.width) + 2; i < line.size(); ++i) line[i] = line[size_t(in.width) + 1];
        halveRow(line.data(), out.row(y), out.width);
    }
    return out;
}

}  // namespace

Pyramid::Pyramid(const Luma& picture, int levels, Pyramid spare) {
    const auto memory = [&](size_t level) {
        return level < spare.levels_.size() ? std::move(spare.levels_[level]) : Luma();
    };
    levels_.push_back(lightlyBlurred(picture, memory(0)));
    while (int(levels_.size()) < levels && std::min(levels_.back().width, levels_.back().height) >= 32)
        levels_.push_back(halved(levels_.back(), memory(levels_.size())));
    softer_ = std::make_unique<Softer>();
    if (spare.softer_) softer_->luma = std::move(spare.softer_->luma);
}

const Luma& Pyramid::softer() const {
    std::call_once(softer_->made,
                   [this] { softer_->luma = lightlyBlurred(levels_.front(), std::move(softer_->luma)); });
    return softer_->luma;
}

}  // namespace va
