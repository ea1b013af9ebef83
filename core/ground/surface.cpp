// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/surface.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <map>
#include <random>

namespace va {
namespace {

constexpr double outlierSigmas = 3.5;

void layAxes(Surface& s, const std::vector<const SurePoint*>& on) {
    Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
    Eigen::Vector3d middle = Eigen::Vector3d::Zero();
    for (const SurePoint* p : on) middle += p->position / double(on.size());
    for (const SurePoint* p : on) {
        const Eigen::Vector3d d = p->position - middle;
        spread += d * d.transpose();
    }
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> axes(spread);
    s.u = axes.eigenvectors().col(2);
    s.u = (s.u - s.u.dot(s.plane.normal) * s.plane.normal).normalized();
    s.v = s.plane.normal.cross(s.u);
    // A few far points do not make a surface large.
    std::vector<double> alongU, alongV;
    for (const SurePoint* p : on) {
        alongU.push_back(s.u.dot(p->position));
        alongV.push_back(s.v.dot(p->position));
    }
    const auto range = [](std::vector<double>& x) {
        std::sort(x.begin(), x.end());
        const size_t cut = x.size() / 50;
        return std::pair(x[cut], x[x.size() - 1 - cut]);
    };
    const auto [u0, u1] = range(alongU);
    const auto [v0, v1] = range(alongV);
    s.halfU = (u1 - u0) / 2, s.halfV = (v1 - v0) / 2;
    s.centre = s.plane.offset * s.plane.normal + (u0 + u1) / 2 * s.u + (v0 + v1) / 2 * s.v;
    if (s.halfV > s.halfU) {
        std::swap(s.halfU, s.halfV);
        const Eigen::Vector3d u = s.u;
        s.u = s.v, s.v = -u;
    }
}

/// Weighted least squares from a plane on. `relief` is the variance that all points have in common.
std::optional<PlaneFit> weightedPlane(const std::vector<const SurePoint*>& on, const PlaneFit& start, double relief) {
    Eigen::Vector3d middle = Eigen::Vector3d::Zero();
    double sum = 0;
    std::vector<double> weights;
    for (const SurePoint* p : on) {
        const double sigma = p->sigmaAlong(start.normal);
        weights.push_back(1 / (sigma * sigma + relief + 1e-18 * p->depth * p->depth));
        middle += weights.back() * p->position;
        sum += weights.back();
    }
    middle /= sum;
    Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
    for (size_t i = 0; i < on.size(); ++i) {
        const Eigen::Vector3d d = on[i]->position - middle;
        spread += weights[i] / sum * d * d.transpose();
    }
    if (!spread.allFinite()) return std::nullopt;
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> axes(spread);
    if (!(axes.eigenvalues()(1) > 1e-6 * axes.eigenvalues()(2))) return std::nullopt;
    PlaneFit out;
    out.normal = axes.eigenvectors().col(0);
    if (out.normal.dot(start.normal) < 0) out.normal = -out.normal;
    out.offset = out.normal.dot(middle);
    return out;
}

/// The variance in common that makes Σ r² / (σ² + variance) = count − 3; 0 where the points' own explain the residuals.
double reliefOf(const std::vector<const SurePoint*>& on, const PlaneFit& plane) {
    const double spare = double(on.size()) - 3;
    if (spare < 1) return 0;
    std::vector<std::pair<double, double>> squares;  // of the residual and of the point's own deviation
    for (const SurePoint* p : on) {
        const double r = plane.distance(p->position), s = p->sigmaAlong(plane.normal);
        squares.emplace_back(r * r, s * s + 1e-18 * p->depth * p->depth);
    }
    const auto sum = [&](double relief) {
        double out = 0;
        for (const auto& [r2, s2] : squares) out += r2 / (s2 + relief);
        return out;
    };
    if (sum(0) <= spare) return 0;
    double low = 0, high = 0;
    for (const auto& [r2, s2] : squares) high += r2;
    for (int i = 0; i < 40; ++i) {
        const double middle = (low + high) / 2;
        (sum(middle) > spare ? low : high) = middle;
    }
    return high;
}

/// A plane that half of the points lie near to: the start of a robust fit.
std::optional<PlaneFit> medianPlane(std::span<const SurePoint> points) {
    std::mt19937_64 random(1);
    std::optional<PlaneFit> best;
    double least = 1e300;
    std::vector<double> off(points.size());
    for (int trial = 0; trial < 100; ++trial) {
        std::vector<Eigen::Vector3d> three;
        for (int k = 0; k < 3; ++k) three.push_back(points[size_t(random() % points.size())].position);
        const auto plane = fitPlane(three);
        if (!plane) continue;
        for (size_t i = 0; i < points.size(); ++i) off[i] = std::fabs(plane->distance(points[i].position));
        std::nth_element(off.begin(), off.begin() + std::ptrdiff_t(off.size() / 2), off.end());
        if (off[off.size() / 2] < least) least = off[off.size() / 2], best = plane;
    }
    return best;
}

double medianOfSquares(std::vector<double> r) {
    std::nth_element(r.begin(), r.begin() + std::ptrdiff_t(r.size() / 2), r.end());
    return r[r.size() / 2];
}

void measureCertainty(Surface& s, const std::vector<const SurePoint*>& on, double relief) {
    const auto row = [&](const SurePoint& p) {
        // A rotation by a about u moves the plane's point at v by a·v along the normal; one by b about v that at u by
        // −b·u.
        const Eigen::Vector3d d = p.position - s.centre;
        return Eigen::Vector3d(s.v.dot(d), -s.u.dot(d), 1);
    };
    Eigen::Matrix3d information = Eigen::Matrix3d::Zero();
    std::map<int, Eigen::Vector3d> patches;
    double squares = 0;
    for (const SurePoint* p : on) {
        const double sigma = p->sigmaAlong(s.plane.normal);
        const double weight = 1 / (sigma * sigma + relief + 1e-18 * p->depth * p->depth);
        const Eigen::Vector3d g = row(*p);
        information += weight * g * g.transpose();
        const double r = s.plane.distance(p->position);
        squares += weight * r * r;
        const Eigen::Vector3d d = p->position - s.centre;
        const auto cell = [](double at, double half) {
            return half > 0 ? std::clamp(int((at / half + 1) * 2), 0, 3) : 0;
        };
        auto& sum = patches.emplace(cell(s.u.dot(d), s.halfU) * 4 + cell(s.v.dot(d), s.halfV), Eigen::Vector3d::Zero())
                        .first->second;
        sum += weight * r * g;
    }
    const Eigen::Matrix3d inverse = information.ldlt().solve(Eigen::Matrix3d::Identity());
    const double n = double(on.size());
    s.covariance = inverse * std::max(1.0, n > 3 ? squares / (n - 3) : 1.0);
    if (patches.size() >= 6 && on.size() >= 12) {
        Eigen::Matrix3d sums = Eigen::Matrix3d::Zero();
        for (const auto& [cell, sum] : patches) sums += sum * sum.transpose();
        const double k = double(patches.size());
        const Eigen::Matrix3d byPatches = inverse * sums * inverse * (k / (k - 3));
        // Per parameter the larger one, so that neither hides the other.
        Eigen::Vector3d grow;
        for (int i = 0; i < 3; ++i)
            grow[i] = std::sqrt(std::max(1.0, byPatches(i, i) / std::max(1e-300, s.covariance(i, i))));
        s.covariance = grow.asDiagonal() * s.covariance * grow.asDiagonal();
    }
}

}  // namespace

double Surface::tiltSigma() const {
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d> axes(covariance.topLeftCorner<2, 2>());
    return std::sqrt(std::max(0.0, axes.eigenvalues()(1)));
}

double Surface::offsetSigma() const { return std::sqrt(std::max(0.0, covariance(2, 2))); }

std::array<Eigen::Vector3d, 4> Surface::corners() const {
    const Eigen::Vector3d a = halfU * u, b = halfV * v;
    return {centre - a - b, centre + a - b, centre + a + b, centre - a + b};
}

void Surface::flip() {
    plane.normal = -plane.normal, plane.offset = -plane.offset;
    v = -v;
    // About −v a rotation counts the other way, and the offset along −normal.
    const Eigen::Vector3d sign(1, -1, -1);
    covariance = sign.asDiagonal() * covariance * sign.asDiagonal();
}

std::optional<Surface> fitSurface(std::span<const SurePoint> points, bool robust) {
    std::vector<const SurePoint*> on;
    std::vector<Eigen::Vector3d> all;
    for (const SurePoint& p : points) on.push_back(&p), all.push_back(p.position);
    robust = robust && points.size() > 4;
    std::optional<PlaneFit> plane = robust ? medianPlane(points) : fitPlane(all);
    if (!plane) return std::nullopt;
    double relief = 0;
    if (robust) {
        std::vector<double> squares;
        for (const SurePoint& p : points) squares.push_back(std::pow(plane->distance(p.position), 2));
        relief = 2.2 * medianOfSquares(squares);  // 1.4826², of a normal distribution
    }
    for (int round = 0; round < (robust ? 8 : 3); ++round) {
        if (robust) {
            on.clear();
            for (const SurePoint& p : points) {
                const double sigma = p.sigmaAlong(plane->normal), r = plane->distance(p.position);
                if (r * r <= outlierSigmas * outlierSigmas * (sigma * sigma + relief) + 1e-18 * p.depth * p.depth)
                    on.push_back(&p);
            }
            if (on.size() < 3) return std::nullopt;
        }
        plane = weightedPlane(on, *plane, relief);
        if (!plane) return std::nullopt;
        relief = reliefOf(on, *plane);
    }
    Surface s;
    s.plane = *plane;
    double squares = 0, px = 0;
    for (const SurePoint* p : on) {
        const double r = plane->distance(p->position);
        squares += r * r, px += std::pow(r / p->perPx, 2);
        s.paths.push_back(p->pathId);
    }
    s.plane.rms = std::sqrt(squares / double(on.size()));
    s.rmsPx = std::sqrt(px / double(on.size()));
    auto next = on.begin();  // in the order of the points
    for (const SurePoint& p : points)
        if (next != on.end() && *next == &p) ++next;
        else s.outliers.push_back(p.pathId);
    layAxes(s, on);
    measureCertainty(s, on, relief);
    if (!s.covariance.allFinite()) return std::nullopt;
    return s;
}

std::optional<Surface> fitSurface(const std::vector<SurePoint>& points, const std::vector<int>& paths, bool robust) {
    std::vector<SurePoint> chosen;
    for (const int id : paths)
        if (const SurePoint* p = sureAt(points, id)) chosen.push_back(*p);
    return fitSurface(chosen, robust);
}

}  // namespace va
