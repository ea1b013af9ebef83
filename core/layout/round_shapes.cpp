// SPDX-License-Identifier: GPL-3.0-or-later
#include "layout/round_shapes.h"

#include <cmath>
#include <numbers>

namespace va {

Shape turnedShape(std::span<const Eigen::Vector2d> profile, int sides, std::span<const int> band) {
    Shape s;
    std::vector<int> ring;  // first vertex of each step of the profile
    for (const Eigen::Vector2d& p : profile) {
        ring.push_back(int(s.vertices.size()));
        const int count = p.x() > 0 ? sides : 1;
        for (int i = 0; i < count; ++i) {
            const double a = 2 * std::numbers::pi * i / sides;
            s.vertices.emplace_back(p.x() * std::sin(a), p.y(), p.x() * std::cos(a));
        }
    }
    const auto at = [&](size_t step, int i) { return ring[step] + (profile[step].x() > 0 ? i % sides : 0); };
    const auto cap = [&](size_t step, bool top, int material) {
        if (!(profile[step].x() > 0)) return;
        for (int i = 0; i < sides; ++i) s.corners.push_back(at(step, top ? i : sides - 1 - i));
        s.counts.push_back(sides);
        if (!band.empty()) s.material.push_back(material);
    };
    cap(0, false, band.empty() ? 0 : band.front());
    for (size_t k = 0; k + 1 < profile.size(); ++k)
        for (int i = 0; i < sides; ++i) {
            const int material = band.empty() ? -1 : band[k];
            const bool low = profile[k].x() > 0, high = profile[k + 1].x() > 0;
            if (low && high) s.addFace({at(k, i), at(k, i + 1), at(k + 1, i + 1), at(k + 1, i)}, material);
            else if (low) s.addFace({at(k, i), at(k, i + 1), at(k + 1, 0)}, material);
            else if (high) s.addFace({at(k, 0), at(k + 1, i + 1), at(k + 1, i)}, material);
        }
    cap(profile.size() - 1, true, band.empty() ? 0 : band.back());
    return s;
}

}  // namespace va
