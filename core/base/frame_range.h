// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>

namespace va {

/// Frames first..last, both included, in the plate's own numbers. Empty when last < first.
struct FrameRange {
    int first = 0;
    int last = -1;

    [[nodiscard]] bool empty() const { return last < first; }
    [[nodiscard]] int count() const { return empty() ? 0 : last - first + 1; }
    [[nodiscard]] bool contains(int frame) const { return frame >= first && frame <= last; }
    [[nodiscard]] int clamp(int frame) const { return std::clamp(frame, first, std::max(first, last)); }
    friend bool operator==(const FrameRange&, const FrameRange&) = default;
};

}  // namespace va
