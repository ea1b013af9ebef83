// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/search_patch.h"

#include <Eigen/LU>
#include <cmath>
#include <vector>

namespace va {

std::optional<Eigen::Vector2d> searchPatch(const ReferencePatch& reference, const Eigen::Matrix2d& shape,
                                           const Pyramid& picture, const Eigen::Vector2d& guess, int radius) {
    if (!reference.usable() || picture.levels() < 2 || radius < 1 || !guess.allFinite()) return std::nullopt;
    const Luma& half = picture.level(1);
    const int patchRadius = std::max(2, reference.radius() / 2), side = 2 * patchRadius + 1;
    // The patch as it would look at half size under the shape: each pixel of the half picture asks the reference.
    std::vector<float> texture;
    double mean = 0;
    const Eigen::Matrix2d inverse = shape.inverse();
    if (!inverse.allFinite()) return std::nullopt;
    for (int j = -patchRadius; j <= patchRadius; ++j)
        for (int i = -patchRadius; i <= patchRadius; ++i) {
            texture.push_back(reference.textureAt(inverse * Eigen::Vector2d(2 * i, 2 * j)));
            mean += double(texture.back());
        }
    mean /= double(texture.size());
    double power = 0;
    for (float& t : texture) t -= float(mean), power += double(t) * double(t);
    if (!(power > 1e-3)) return std::nullopt;
    const int steps = std::max(1, radius / 2);
    const int cx = int(std::lround(guess.x() / 2)), cy = int(std::lround(guess.y() / 2));
    struct Spot {
        int x, y;
        double correlation;
    };
    std::vector<Spot> spots;
    Spot best{0, 0, -1};
    for (int dy = -steps; dy <= steps; ++dy)
        for (int dx = -steps; dx <= steps; ++dx) {
            const int x = cx + dx, y = cy + dy;
            if (x < patchRadius || y < patchRadius || x + patchRadius >= half.width || y + patchRadius >= half.height)
                continue;
            double sum = 0, squares = 0, cross = 0;
            const float* t = texture.data();
            for (int j = -patchRadius; j <= patchRadius; ++j) {
                const float* p = half.row(y + j) + x - patchRadius;
                for (int i = 0; i < side; ++i, ++t) {
                    const auto v = double(p[i]);
                    sum += v, squares += v * v, cross += v * double(*t);
                }
            }
            const double variance = squares - sum * sum / double(texture.size());
            if (!(variance > 1e-3)) continue;
            const Spot s{x, y, cross / std::sqrt(power * variance)};
            spots.push_back(s);
            if (s.correlation > best.correlation) best = s;
        }
    if (best.correlation < 0.7) return std::nullopt;
    for (const Spot& s : spots)
        if (s.correlation > best.correlation - 0.02 && std::max(std::abs(s.x - best.x), std::abs(s.y - best.y)) > 3)
            return std::nullopt;
    return Eigen::Vector2d(2.0 * best.x, 2.0 * best.y);
}

}  // namespace va
