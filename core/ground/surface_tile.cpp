// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/surface_tile.h"

#include <algorithm>
#include <cmath>
#include <random>

namespace va {
namespace {

constexpr size_t tilePoints = 14;       ///< nearest in the picture that take part
constexpr double farthestShare = 0.16;  ///< of the picture's width that they may be away
constexpr size_t fewestOnTile = 5;
constexpr int tileTrials = 80;
/// How uneven a surface may be, as a share of its depth, and what points on so smooth a one count for: across the edge
/// of two surfaces a slanted plane fits both, but not well.
constexpr std::pair<double, double> tileReliefs[] = {{0.0006, 1.6}, {0.003, 1.0}};
constexpr double flattestView = 0.06;  ///< sine of the angle between line of sight and surface
constexpr double planeMargin = 1.15;   ///< of a named plane's extent, up to which it is hit

std::optional<Eigen::Vector3d> meet(const Ray& ray, const PlaneFit& plane) {
    const double along = plane.normal.dot(ray.direction);
    if (std::fabs(along) < flattestView) return std::nullopt;
    const double t = -plane.distance(ray.origin) / along;
    return t > 0 ? std::optional(ray.at(t)) : std::nullopt;
}

}  // namespace

SurfaceFinder::SurfaceFinder(const GroundBasis& basis, const GroundFit& ground, const FrameCamera& camera, int width,
                             int height, const std::function<bool(int)>& seen)
    : camera_(camera), planes_(ground.planes), floor_(ground.floor) {
    up_ = ground.worldFromSolve.rotation.conjugate() * Eigen::Vector3d::UnitY();
    std::vector<Eigen::Vector2d> pixels;
    for (const SurePoint& p : basis.points) {
        const auto pixel = camera.project(p.position);
        if (!pixel || pixel->x() < 0 || pixel->y() < 0 || pixel->x() >= width || pixel->y() >= height) continue;
        points_.push_back(p);
        pixels.push_back(*pixel);
    }
    // About four points a cell.
    cell_ = std::clamp(std::sqrt(4.0 * width * height / double(std::max(size_t(1), points_.size()))), 8.0,
                       farthestShare * width);
    columns_ = int(width / cell_) + 1, rows_ = int(height / cell_) + 1;
    cells_.resize(size_t(columns_) * size_t(rows_));
    for (size_t i = 0; i < points_.size(); ++i)
        cells_[size_t(pixels[i].y() / cell_) * size_t(columns_) + size_t(pixels[i].x() / cell_)].push_back(
            {&points_[i], pixels[i], !seen || seen(points_[i].pathId)});
}

std::vector<SurfaceFinder::Seen> SurfaceFinder::around(const Eigen::Vector2d& pixel, bool shownOnly) const {
    const int cx = int(std::floor(pixel.x() / cell_)), cy = int(std::floor(pixel.y() / cell_));
    const double limit = farthestShare * cell_ * columns_;
    std::vector<Seen> found;
    // Rings of cells, until a ring further out can't hold a nearer one.
    for (int ring = 0; ring <= std::max(columns_, rows_); ++ring) {
        if ((ring - 1) * cell_ > limit) break;
        if (found.size() >= tilePoints && ring >= 2) {
            std::nth_element(found.begin(), found.begin() + std::ptrdiff_t(tilePoints - 1), found.end(),
                             [&](const Seen& a, const Seen& b) {
                                 return (a.pixel - pixel).squaredNorm() < (b.pixel - pixel).squaredNorm();
                             });
            if ((found[tilePoints - 1].pixel - pixel).norm() < (ring - 1) * cell_) break;
        }
        for (int y = cy - ring; y <= cy + ring; ++y)
            for (int x = cx - ring; x <= cx + ring; ++x) {
                if (std::max(std::abs(x - cx), std::abs(y - cy)) != ring) continue;
                if (x < 0 || y < 0 || x >= columns_ || y >= rows_) continue;
                const auto& cell = cells_[size_t(y) * size_t(columns_) + size_t(x)];
                for (const Seen& s : cell)
                    if (s.shown || !shownOnly) found.push_back(s);
            }
    }
    std::sort(found.begin(), found.end(), [&](const Seen& a, const Seen& b) {
        return (a.pixel - pixel).squaredNorm() < (b.pixel - pixel).squaredNorm();
    });
    if (found.size() > tilePoints) found.resize(tilePoints);
    std::erase_if(found, [&](const Seen& s) { return (s.pixel - pixel).norm() > limit; });
    return found;
}

std::optional<SurfaceTile> SurfaceFinder::byPoints(const Eigen::Vector2d& pixel, const Ray& ray, bool shownOnly) const {
    const std::vector<Seen> near = around(pixel, shownOnly);
    if (near.size() < fewestOnTile) return std::nullopt;
    const double reach = std::max(1.0, (near.back().pixel - pixel).norm());
    const auto off = [](const SurePoint& p, const PlaneFit& plane, double relief) {
        const double sigma = p.sigmaAlong(plane.normal), even = relief * p.depth;
        return std::pow(plane.distance(p.position), 2) / (9 * (sigma * sigma + even * even));
    };
    std::mt19937_64 random(1);
    std::optional<PlaneFit> best;
    double most = 0, smooth = 0;
    for (int trial = 0; trial < tileTrials; ++trial) {
        std::vector<Eigen::Vector3d> three;
        for (int k = 0; k < 3; ++k) three.push_back(near[size_t(random() % near.size())].point->position);
        const auto plane = fitPlane(three);
        if (!plane || !meet(ray, *plane)) continue;
        for (const auto& [relief, worth] : tileReliefs) {
            double sum = 0;
            for (const Seen& s : near)
                // The nearest count most: what lies further away may be another surface.
                sum += worth * std::max(0.0, 1 - off(*s.point, *plane, relief)) /
                       (1 + 2 * (s.pixel - pixel).norm() / reach);
            if (sum > most) most = sum, best = plane, smooth = relief;
        }
    }
    if (!best) return std::nullopt;
    std::vector<SurePoint> on;
    for (const Seen& s : near)
        if (off(*s.point, *best, smooth) < 1) on.push_back(*s.point);
    if (on.size() < fewestOnTile) return std::nullopt;
    const auto surface = fitSurface(on, false);
    const auto foot = surface ? meet(ray, surface->plane) : std::nullopt;
    // A tilt that the points leave open would put things at a slant.
    if (!foot || surface->tiltSigma() > 0.35) return std::nullopt;
    SurfaceTile out;
    out.foot = *foot;
    out.normal =
        surface->plane.distance(ray.origin) < 0 ? Eigen::Vector3d(-surface->plane.normal) : surface->plane.normal;
    out.points = int(surface->paths.size());
    out.rmsPx = surface->rmsPx;
    out.paths = surface->paths;
    return out;
}

std::optional<SurfaceTile> SurfaceFinder::at(const Eigen::Vector2d& pixel) const {
    const auto ray = camera_.ray(pixel);
    if (!ray) return std::nullopt;
    if (auto tile = byPoints(pixel, *ray, true)) return tile;
    if (auto tile = byPoints(pixel, *ray, false)) return tile;
    std::optional<SurfaceTile> nearest;
    double distance = 1e300;
    for (const TakenPlane& p : planes_) {
        const auto foot = meet(*ray, p.surface.plane);
        if (!foot) continue;
        const Eigen::Vector3d d = *foot - p.surface.centre;
        if (std::fabs(d.dot(p.surface.u)) > planeMargin * p.surface.halfU ||
            std::fabs(d.dot(p.surface.v)) > planeMargin * p.surface.halfV)
            continue;
        if (const double far = (*foot - ray->origin).norm(); far < distance) {
            distance = far;
            nearest = SurfaceTile{SurfaceTile::From::plane,
                                  *foot,
                                  p.surface.plane.normal,
                                  int(p.surface.paths.size()),
                                  p.surface.rmsPx,
                                  p.id,
                                  {}};
        }
    }
    if (nearest || !floor_) return nearest;
    PlaneFit ground;
    ground.normal = up_;
    ground.offset = up_.dot(floor_->centre);
    if (const auto foot = meet(*ray, ground))
        return SurfaceTile{SurfaceTile::From::ground, *foot, up_, int(floor_->paths.size()), floor_->rmsPx, 0, {}};
    return std::nullopt;
}

}  // namespace va
