// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cmath>

#include "base/keyed.h"

namespace va {

/// What a value does before its first key and after its last one.
enum class Outside : uint8_t {
    hold,   ///< stays as it is at that key
    goOn,   ///< goes on evenly, as fast as the outermost two keys say; nothing moves on where the span is held
    repeat  ///< the keys from the first to the last over and over
};

/// A value over frames with keys, or none.
template <class T>
struct Animated {
    Keyed<T> keys;
    Outside before = Outside::hold, after = Outside::hold;

    [[nodiscard]] bool empty() const { return keys.empty(); }
    /// There has to be a key.
    [[nodiscard]] T at(double frame) const {
        const int first = keys.front().frame, last = keys.back().frame;
        const bool early = frame < first;
        if ((!early && frame <= last) || keys.size() < 2) return keys.at(frame);
        switch (early ? before : after) {
            case Outside::hold: break;
            case Outside::goOn: {
                const auto& all = keys.keys();
                const Key<T>&a = early ? all.front() : all[all.size() - 2], &b = early ? all[1] : all.back();
                if (a.between == Between::hold) break;
                const double t = (frame - a.frame) / (b.frame - a.frame);
                const T* values[] = {&a.value, &b.value};
                const double weights[] = {1 - t, t};
                return weightedSum(static_cast<const T* const*>(values), weights, 2);
            }
            case Outside::repeat: {
                const double period = last - first, in = std::fmod(frame - first, period);
                return keys.at(first + (in < 0 ? in + period : in));
            }
        }
        return keys.at(frame);
    }
    friend bool operator==(const Animated&, const Animated&) = default;
};

}  // namespace va
