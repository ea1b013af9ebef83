// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/sample_sequence.h"

#include <algorithm>

#include "base/cpu_clones.h"

namespace va {
namespace {

using Point = std::array<uint32_t, 2>;

/// Points of a table, each shifted by its pixel.
VA_CPU_CLONES void shifted(const Point* points, const LaneIndices& pixels, const LaneIndices& indices, uint32_t salt,
                           Lanes& u, Lanes& v) {
    LaneIndices first, second;
    for (size_t k = 0; k < laneCount; ++k) first[k] = points[indices[k]][0], second[k] = points[indices[k]][1];
    for (size_t k = 0; k < laneCount; ++k) {
        const uint32_t h = hashOf(pixels[k] * 0x9e3779b9U + salt);
        u[k] = SampleSequence::unit(first[k] + (h & 0xffff0000U));
        v[k] = SampleSequence::unit(second[k] + (h << 16));
    }
}

}  // namespace

void SampleTable::at(const LaneIndices& pixels, const LaneIndices& indices, uint32_t use, Lanes& u, Lanes& v) const {
    if (use < uses_ && *std::max_element(indices.begin(), indices.end()) < count)
        return shifted(points_.data() + size_t(use) * count, pixels, indices, use * 0x85ebca6bU + seed_, u, v);
    for (size_t k = 0; k < laneCount; ++k) {
        const Eigen::Vector2f p = at(pixels[k], indices[k], use);
        u[k] = p.x(), v[k] = p.y();
    }
}

}  // namespace va
