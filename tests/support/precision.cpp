// SPDX-License-Identifier: GPL-3.0-or-later
#include "precision.h"

#include <Eigen/LU>
#include <cmath>

#include "track/flat_patch.h"
#include "track/track.h"
#include "warp.h"

namespace va::test {
namespace {

constexpr int width = precisionWidth, height = precisionHeight, count = 60, radius = 10;
constexpr double sigma = 2;  // grey levels of 255

}  // namespace

Precision measurePrecision(const std::string& name, const std::function<Eigen::Matrix3d(double t)>& move) {
    const Luma photo = loadPhoto(name);
    const Eigen::Vector2d inset((photo.width - width) / 2.0, (photo.height - height) / 2.0);
    const auto view = [&](int frame, double noise) {
        const Eigen::Matrix3d back = move(frame / double(count - 1)).inverse();
        return warped(
            photo, width, height,
            [&](const Eigen::Vector2d& p) -> Eigen::Vector2d { return throughMap(back, p) + inset; }, noise,
            unsigned(frame + 1));
    };
    const Luma clean = view(0, 0);
    Progress progress;
    TrackRequest request;
    for (int i = 0; i < count; ++i) request.frames.push_back(i);
    request.read = [&](int f) { return view(f, sigma); };
    request.options.features = 150;
    request.options.radius = radius;
    request.options.refillEvery = 1000;
    Precision out;
    double squares = 0, px = 0, normalised = 0;
    int n = 0;
    for (const Path& p : trackFeatures(std::move(request), progress)) {
        const PathPoint& first = p.points.front();
        // Only what stays in the picture all the time can be said to be lost.
        bool inside = first.frame == 0;
        for (int f = 0; f < count; ++f) {
            const Eigen::Vector2d at = throughMap(move(f / double(count - 1)), {first.x, first.y});
            inside = inside && at.x() > 30 && at.y() > 30 && at.x() < width - 31 && at.y() < height - 31;
        }
        if (!inside) continue;
        ++out.started;
        const PathPoint* last = p.at(count - 1);
        if (!last) {
            ++out.lost;
            continue;
        }
        Eigen::Matrix2d information = Eigen::Matrix2d::Zero();
        for (int j = -radius; j <= radius; ++j)
            for (int i = -radius; i <= radius; ++i) {
                const int x = int(first.x) + i, y = int(first.y) + j;
                const Eigen::Vector2d g(0.5 * double(clean.at(x + 1, y) - clean.at(x - 1, y)),
                                        0.5 * double(clean.at(x, y + 1) - clean.at(x, y - 1)));
                information += g * g.transpose();
            }
        // The bound holds in the reference's pixels; the move's derivative takes it to the last frame's.
        const Eigen::Matrix3d m = move(1);
        const Eigen::Vector2d at = throughMap(m, {first.x, first.y});
        Eigen::Matrix2d derivative;
        derivative.col(0) = throughMap(m, {first.x + 0.5, first.y}) - throughMap(m, {first.x - 0.5, first.y});
        derivative.col(1) = throughMap(m, {first.x, first.y + 0.5}) - throughMap(m, {first.x, first.y - 0.5});
        const Eigen::Matrix2d bound = 2 * sigma * sigma * derivative * information.inverse() * derivative.transpose();
        const Eigen::Vector2d e = Eigen::Vector2d(last->x, last->y) - at;
        Eigen::Matrix2d stated;
        stated << double(last->sxx), double(last->sxy), double(last->sxy), double(last->syy);
        squares += 0.5 * e.dot(bound.inverse() * e);
        normalised += 0.5 * e.dot(stated.inverse() * e);
        px += 0.5 * e.squaredNorm();
        ++n;
    }
    if (n > 0) out.ratio = std::sqrt(squares / n), out.normalised = normalised / n, out.rmsPx = std::sqrt(px / n);
    return out;
}

}  // namespace va::test
