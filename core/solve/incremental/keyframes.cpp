// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/keyframes.h"

#include <algorithm>
#include <cmath>

#include "solve/incremental/thresholds.h"
#include "solve/minimal/homography.h"

namespace va {

double medianMove(const Observations& s, FrameIndex frameA, FrameIndex frameB) {
    std::vector<double> moves;
    for (const auto& [i, j] : s.shared(frameA, frameB))
        moves.push_back((s.all[size_t(i)].pixel - s.all[size_t(j)].pixel).norm());
    return int(moves.size()) < s.fewest.seen ? -1 : median(std::move(moves));
}

std::vector<FrameIndex> chooseKeyframes(const Observations& s, double step) {
    std::vector<FrameIndex> out;
    for (const FrameIndex f : s.indices()) {
        if (int(s.byFrame[f].size()) < s.fewest.seen) continue;
        if (out.empty()) {
            out.push_back(f);
            continue;
        }
        const size_t before = s.byFrame[out.back()].size();
        const size_t kept = s.shared(out.back(), f).size();
        const double move = medianMove(s, out.back(), f);
        if (move < 0 || move > s.width * step || kept * 3 < before * 2) out.push_back(f);
    }
    for (FrameIndex f(s.frameCount() - 1); f > FrameIndex(0) && !out.empty(); f = f - 1) {
        if (int(s.byFrame[f].size()) < s.fewest.seen) continue;
        if (out.back() != f) out.push_back(f);
        break;
    }
    return out;
}

std::vector<StartPair> rankStartPairs(const Observations& s, const std::vector<FrameIndex>& keyframes, uint64_t seed) {
    std::vector<StartPair> out;
    const double unit = std::max(1.0, s.width / 1280.0);
    for (size_t i = 0; i < keyframes.size(); ++i) {
        for (size_t j = i + 1; j < std::min(keyframes.size(), i + 13); ++j) {
            // Neighbours have little parallax; far pairs are tried at every other step to save time.
            if (j - i > 4 && (j - i) % 2 == 1 && j + 1 < keyframes.size()) continue;
            const auto pairs = s.shared(keyframes[i], keyframes[j]);
            if (int(pairs.size()) < s.fewest.shared) continue;
            Points2 a, b;
            for (const auto& [p, q] : pairs) a.push_back(s.all[size_t(p)].pixel), b.push_back(s.all[size_t(q)].pixel);
            SamplingOptions options;
            options.threshold = unit;
            options.trials = 50;
            options.seed = seed + i * 1000 + j;
            const auto h = robustHomography(a, b, options);
            if (!h.found) continue;
            std::vector<double> off;
            for (size_t k = 0; k < a.size(); ++k)
                off.push_back(std::sqrt(std::min(1e6, transferError2(h.model, a[k], b[k]))));
            std::nth_element(off.begin(), off.begin() + std::ptrdiff_t(off.size() * 3 / 4), off.end());
            out.push_back({keyframes[i], keyframes[j], int(pairs.size()), off[off.size() * 3 / 4],
                           double(h.agreeing) / double(a.size())});
        }
    }
    const auto worth = [&](const StartPair& p) {
        // More parallax than that adds little and costs shared paths.
        return std::min(p.parallax, s.width * limits::enoughParallax) * std::sqrt(double(p.shared));
    };
    std::stable_sort(out.begin(), out.end(),
                     [&](const StartPair& x, const StartPair& y) { return worth(x) > worth(y); });
    return out;
}

}  // namespace va
