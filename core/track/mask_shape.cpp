// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/mask_shape.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

namespace va {

std::vector<MaskPoint> MaskShape::pointsAt(int frame) const {
    return keys.empty() ? std::vector<MaskPoint>() : keys.at(frame);
}

void MaskShape::setPoints(int frame, const std::vector<MaskPoint>& points) { keys.set(frame, points); }

void MaskShape::insertPoint(size_t after) {
    keys.forEach([after](std::vector<MaskPoint>& points) {
        if (after >= points.size()) return;
        MaskPoint& a = points[after];
        MaskPoint& b = points[(after + 1) % points.size()];
        const Eigen::Vector2d p0 = a.at, p1 = a.at + a.out, p2 = b.at + b.in, p3 = b.at;
        const Eigen::Vector2d q0 = 0.5 * (p0 + p1), q1 = 0.5 * (p1 + p2), q2 = 0.5 * (p2 + p3), r0 = 0.5 * (q0 + q1),
                              r1 = 0.5 * (q1 + q2), middle = 0.5 * (r0 + r1);
        MaskPoint fresh{middle, Eigen::Vector2d::Zero(), Eigen::Vector2d::Zero()};
        if (!a.out.isZero() || !b.in.isZero()) {
            fresh.in = r0 - middle, fresh.out = r1 - middle;
            a.out = q0 - p0, b.in = q2 - p3;
        }
        points.insert(points.begin() + std::ptrdiff_t(after) + 1, fresh);
    });
}

void MaskShape::removePoint(size_t index) {
    keys.forEach([index](std::vector<MaskPoint>& points) {
        if (points.size() > 3 && index < points.size()) points.erase(points.begin() + std::ptrdiff_t(index));
    });
}

std::vector<Eigen::Vector2d> flattened(const std::vector<MaskPoint>& points) {
    std::vector<Eigen::Vector2d> out;
    for (size_t i = 0; i < points.size(); ++i) {
        const MaskPoint &a = points[i], &b = points[(i + 1) % points.size()];
        out.push_back(a.at);
        if (a.out.isZero() && b.in.isZero()) continue;
        const Eigen::Vector2d p1 = a.at + a.out, p2 = b.at + b.in;
        const double length = a.out.norm() + (p2 - p1).norm() + b.in.norm();
        const int steps = std::clamp(int(length / 2), 2, 200);
        for (int k = 1; k < steps; ++k) {
            const double t = double(k) / steps, s = 1 - t;
            out.emplace_back(s * s * s * a.at + 3 * s * s * t * p1 + 3 * s * t * t * p2 + t * t * t * b.at);
        }
    }
    return out;
}

bool insideOutline(const std::vector<Eigen::Vector2d>& outline, const Eigen::Vector2d& p) {
    bool inside = false;
    for (size_t i = 0, j = outline.size() - 1; i < outline.size(); j = i++) {
        const Eigen::Vector2d &a = outline[i], &b = outline[j];
        if ((a.y() > p.y()) != (b.y() > p.y()) && p.x() < (b.x() - a.x()) * (p.y() - a.y()) / (b.y() - a.y()) + a.x())
            inside = !inside;
    }
    return inside;
}

double signedDistance(const std::vector<Eigen::Vector2d>& outline, const Eigen::Vector2d& p) {
    double nearest = 1e18;
    for (size_t i = 0, j = outline.size() - 1; i < outline.size(); j = i++) {
        const Eigen::Vector2d d = outline[i] - outline[j], e = p - outline[j];
        const double n = d.squaredNorm(), t = n > 0 ? std::clamp(e.dot(d) / n, 0.0, 1.0) : 0;
        nearest = std::min(nearest, (e - t * d).squaredNorm());
    }
    const double far = std::sqrt(nearest);
    return insideOutline(outline, p) ? -far : far;
}

MaskSet::MaskSet(std::vector<MaskShape> shapes, RideMap ride) : shapes_(std::move(shapes)), ride_(std::move(ride)) {
    std::erase_if(shapes_, [](const MaskShape& s) { return !s.enabled || s.keys.empty(); });
}

std::shared_ptr<const std::vector<MaskSet::Outline>> MaskSet::outlines(int frame) const {
    const std::scoped_lock lock(mutex_);
    if (cache_.size() > 64 && !cache_.contains(frame)) cache_.clear();
    auto& cached = cache_[frame];
    if (!cached) cached = outlinesOf(frame);
    return cached;
}

std::shared_ptr<const std::vector<MaskSet::Outline>> MaskSet::outlinesOf(int frame) const {
    auto out = std::make_shared<std::vector<Outline>>();
    for (const MaskShape& s : shapes_) {
        Outline o{&s, flattened(s.pointsAt(frame)), {0, 0}, {0, 0}};
        if (s.ride != MaskRide::nothing) {
            const auto map = ride_ ? ride_(s, frame) : std::nullopt;
            if (!map) continue;
            for (auto& p : o.polygon) p = (*map * p.homogeneous()).hnormalized();
        }
        if (o.polygon.size() < 3) continue;
        o.lowest = o.highest = o.polygon[0];
        for (const auto& p : o.polygon) o.lowest = o.lowest.cwiseMin(p), o.highest = o.highest.cwiseMax(p);
        const double around = std::max(0.0, s.grow) + 0.5 * s.feather + 1;
        o.lowest.array() -= around;
        o.highest.array() += around;
        out->push_back(std::move(o));
    }
    return out;
}

double MaskSet::coverage(int frame, double x, double y) const {
    if (shapes_.empty()) return 0;
    const Eigen::Vector2d p(x, y);
    double excluded = 0, included = 0;
    bool including = false;
    for (const MaskShape& s : shapes_) including = including || !s.exclude;
    for (const Outline& o : *outlines(frame)) {
        double cover = 0;
        if ((p.array() >= o.lowest.array()).all() && (p.array() <= o.highest.array()).all()) {
            if (o.shape->grow == 0 && o.shape->feather <= 0) {
                cover = insideOutline(o.polygon, p) ? 1 : 0;
            } else {
                const double d = signedDistance(o.polygon, p) - o.shape->grow;
                cover = o.shape->feather > 0 ? std::clamp(0.5 - d / o.shape->feather, 0.0, 1.0) : d <= 0 ? 1 : 0;
            }
        }
        if (o.shape->invert) cover = 1 - cover;
        double& into = o.shape->exclude ? excluded : included;
        into = std::max(into, cover);
    }
    return std::max(excluded, including ? 1 - included : 0);
}

}  // namespace va
