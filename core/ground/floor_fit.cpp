// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/floor_fit.h"

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <random>

#include "base/parallel.h"

namespace va {
namespace {

/// Tilt about u and v, height; logit of the floor's share, log of the things' mean height, log of the floor's
/// roughness, and how share and mean height follow the log of the depth.
constexpr int paramCount = 8;
using Params = Eigen::Matrix<double, paramCount, 1>;
using Square = Eigen::Matrix<double, paramCount, paramCount>;

constexpr double above = 1.0 / 16, below = 1.0 / 40;  ///< of the cameras' height
constexpr size_t mostRoughPoints = 250, mostFloorPoints = 600;
constexpr double settledBy = 1e-4;  ///< gain in log likelihood below which a climb is done
/// What the mixture's numbers are likely to be before a point is seen, lengths as shares of the cameras' height: weak,
/// so that few points do not run away. Far away, at a flat angle, less of the floor is seen and only tall things.
const Params likely{{0, 0, 0, 0.4, std::log(0.015), std::log(0.001), -1, 0.7}};
const Params likelySigma{{0, 0, 0, 1.5, 0.8, 1.5, 1, 0.5}};
constexpr int startTrials = 200;
constexpr double startRoughness = 0.002, steepestStart = 0.05;
constexpr double strayShare = 0.02;  ///< of wrong points, spread over the band

/// Log density at height r of a normal distribution of deviation s, plus a gamma distribution of shape 2 and scale l.
double logThing(double r, double s, double l) {
    const double logPhi = -0.5 * (r / s) * (r / s) - 0.5 * std::log(2 * M_PI), z = r / s - s / l;
    // Far below its head the sum's two parts cancel.
    if (z < -6) return logPhi + std::log(s / (l * l)) - 2 * std::log(-z);
    const double tail =
        (r - s * s / l) * std::exp(0.5 * (s / l) * (s / l) - r / l) * 0.5 * std::erfc(-z / std::sqrt(2.0));
    return std::log(std::max(1e-300, s * std::exp(logPhi) + tail)) - 2 * std::log(l);
}

double logFloor(double r, double s) { return -0.5 * (r / s) * (r / s) - std::log(s) - 0.5 * std::log(2 * M_PI); }

/// A point in the start plane's coordinates, in camera heights.
struct FloorPoint {
    const SurePoint* point;
    double u, v, w, sigma;
    double far = 0;  ///< log of its depth over the middle one
};

/// What the likelihood of a point follows.
struct Terms {
    double height;          ///< over the plane
    double logit, logMean;  ///< of the floor's share and the things' height, at the point's depth
    double logRoughness;
};

Terms termsOf(const FloorPoint& q, const Params& p) {
    return {q.w - q.v * p[0] + q.u * p[1] - p[2], p[3] + p[6] * q.far, p[4] + p[7] * q.far, p[5]};
}

double floorShare(const Terms& t) { return 1 / (1 + std::exp(-t.logit)); }

double logLikelihood(const FloorPoint& q, const Terms& t) {
    const double s = std::hypot(q.sigma, std::exp(t.logRoughness)), share = floorShare(t);
    return std::log((1 - strayShare) * (share * std::exp(logFloor(t.height, s)) +
                                        (1 - share) * std::exp(logThing(t.height, s, std::exp(t.logMean)))) +
                    strayShare / (above + below));
}

double total(const std::vector<FloorPoint>& points, const Params& p) {
    double sum = 0;
    for (int i = 3; i < paramCount; ++i) sum -= 0.5 * std::pow((p[i] - likely[i]) / likelySigma[i], 2);
    for (const FloorPoint& q : points) sum += logLikelihood(q, termsOf(q, p));
    return sum;
}

Params scoreOf(const FloorPoint& q, const Params& p) {
    const Terms at = termsOf(q, p);
    const auto slope = [&](double Terms::*term, double step) {
        Terms high = at, low = at;
        high.*term += step, low.*term -= step;
        return (logLikelihood(q, high) - logLikelihood(q, low)) / (2 * step);
    };
    const double byHeight = slope(&Terms::height, 1e-6), byLogit = slope(&Terms::logit, 1e-5),
                 byMean = slope(&Terms::logMean, 1e-5), byRoughness = slope(&Terms::logRoughness, 1e-5);
    Params out;
    out << -q.v * byHeight, q.u * byHeight, -byHeight, byLogit, byMean, byRoughness, byLogit * q.far, byMean * q.far;
    return out;
}

std::vector<Params> scoresOf(const std::vector<FloorPoint>& points, const Params& p) {
    std::vector<Params> out(points.size());
    parallelRanges(int(points.size()), 32, [&](int begin, int end) {
        for (auto i = size_t(begin); i < size_t(end); ++i) out[i] = scoreOf(points[i], p);
    });
    return out;
}

struct Likelihood {
    double value;
    Params params;
    Square information;
    std::vector<Params> scores;
};

Likelihood climb(const std::vector<FloorPoint>& points, const Params& start) {
    Likelihood out{total(points, start), start, {}, {}};
    double damping = 1e-3;
    for (int round = 0; round < 60; ++round) {
        out.scores = scoresOf(points, out.params);
        Params gradient = Params::Zero();
        out.information.setZero();
        for (const Params& g : out.scores) gradient += g, out.information += g * g.transpose();
        for (int i = 3; i < paramCount; ++i) {
            gradient[i] -= (out.params[i] - likely[i]) / (likelySigma[i] * likelySigma[i]);
            out.information(i, i) += 1 / (likelySigma[i] * likelySigma[i]);
        }
        bool better = false;
        for (int attempt = 0; attempt < 8 && !better; ++attempt) {
            Square damped = out.information;
            damped.diagonal() *= 1 + damping;
            Params step = damped.ldlt().solve(gradient);
            for (int i = 3; i < paramCount; ++i) step[i] = std::clamp(step[i], -0.7, 0.7);
            const Params next = out.params + step;
            const double value = total(points, next);
            if (!(value > out.value)) {
                damping *= 6;
                continue;
            }
            better = true;
            damping = std::max(1e-6, damping / 4);
            const bool done = value - out.value < settledBy;
            out.params = next;
            out.value = value;
            if (done) {
                out.scores = scoresOf(points, out.params);
                return out;
            }
        }
        if (!better) break;
    }
    return out;
}

/// The floor's peak is narrow, and a climb from the middle of all points ends on the things. Planes through three
/// points each, and what is under the given plane, are tried as they are; the likeliest one is the start.
Params bestStart(const std::vector<FloorPoint>& points) {
    std::mt19937_64 random(1);
    Params best = likely;
    double most = -1e300;
    const auto offer = [&](double a, double b, double height) {
        Params p = likely;
        p[0] = a, p[1] = b, p[2] = height, p[5] = std::log(startRoughness);
        if (const double value = total(points, p); value > most) most = value, best = p;
    };
    offer(0, 0, -0.004);
    offer(0, 0, -0.015);
    for (int trial = 0; trial < startTrials; ++trial) {
        Eigen::Matrix3d rows;
        Eigen::Vector3d heights;
        for (int k = 0; k < 3; ++k) {
            const FloorPoint& q = points[size_t(random() % points.size())];
            rows.row(k) << q.v, -q.u, 1;
            heights[k] = q.w;
        }
        if (std::fabs(rows.determinant()) < 1e-4) continue;
        const Eigen::Vector3d p = rows.inverse() * heights;
        if (std::hypot(p[0], p[1]) < steepestStart && std::fabs(p[2]) < above) offer(p[0], p[1], p[2]);
    }
    return best;
}

std::optional<Surface> fitFrom(std::span<const SurePoint> points, const PlaneFit& start, double height, bool rough) {
    const double under = rough ? above : below;
    const size_t most = rough ? mostRoughPoints : mostFloorPoints;
    std::vector<SurePoint> within;
    for (const SurePoint& p : points) {
        const double r = start.distance(p.position) / height;
        if (r < above && r > -under && p.sigmaAlong(start.normal) < above * height) within.push_back(p);
    }
    if (within.size() < leastForFloor) return std::nullopt;
    if (within.size() > most) {
        for (size_t i = 0; i < most; ++i) within[i] = within[i * within.size() / most];
        within.resize(most);
    }
    Eigen::Vector3d middle = Eigen::Vector3d::Zero();
    for (const SurePoint& p : within) middle += p.position / double(within.size());
    middle -= start.distance(middle) * start.normal;
    const Eigen::Vector3d u = start.normal.unitOrthogonal(), v = start.normal.cross(u);
    std::vector<FloorPoint> floor;
    for (const SurePoint& p : within) {
        const Eigen::Vector3d d = (p.position - middle) / height;
        floor.push_back({&p, u.dot(d), v.dot(d), start.normal.dot(d), p.sigmaAlong(start.normal) / height, 0});
    }
    std::vector<double> depths;
    for (const SurePoint& q : within) depths.push_back(q.depth);
    std::nth_element(depths.begin(), depths.begin() + std::ptrdiff_t(depths.size() / 2), depths.end());
    for (FloorPoint& q : floor) q.far = std::log(q.point->depth / depths[depths.size() / 2]);
    const std::optional<Likelihood> best = climb(floor, rough ? bestStart(floor) : likely);
    const Params& p = best->params;
    if (!p.allFinite()) return std::nullopt;
    PlaneFit plane;
    // Height over the plane: w − v·a + u·b − c.
    plane.normal = (start.normal - p[0] * v + p[1] * u).normalized();
    plane.offset = plane.normal.dot(middle + p[2] * height * start.normal);
    // What is rather floor than thing makes the surface: its extent, and its RMS error.
    std::vector<SurePoint> on;
    std::vector<int> things;
    for (const FloorPoint& q : floor) {
        const Terms t = termsOf(q, p);
        const double s = std::hypot(q.sigma, std::exp(t.logRoughness));
        const bool flat = t.logit + logFloor(t.height, s) > logThing(t.height, s, std::exp(t.logMean));
        if (flat && std::fabs(t.height) < 3 * s) on.push_back(*q.point);
        else things.push_back(q.point->pathId);
    }
    if (on.size() < 3) return std::nullopt;
    std::optional<Surface> s = fitSurface(on, false);
    if (!s) return std::nullopt;
    const Surface extent = *s;
    s->plane = plane;
    double squares = 0, px = 0;
    for (const SurePoint& q : on) {
        squares += std::pow(plane.distance(q.position), 2);
        px += std::pow(plane.distance(q.position) / q.perPx, 2);
    }
    s->plane.rms = std::sqrt(squares / double(on.size()));
    s->rmsPx = std::sqrt(px / double(on.size()));
    s->outliers = things;
    s->u = (extent.u - extent.u.dot(plane.normal) * plane.normal).normalized();
    s->v = plane.normal.cross(s->u);
    s->centre -= plane.distance(s->centre) * plane.normal;
    // Certainty: of (a, b, c) at the middle, carried to the surface's own axes and centre.
    Square inverse = best->information.ldlt().solve(Square::Identity());
    std::map<int, Params> patches;
    for (size_t i = 0; i < floor.size(); ++i) {
        const Eigen::Vector3d d = floor[i].point->position - s->centre;
        const auto cell = [](double at, double half) {
            return half > 0 ? std::clamp(int((at / half + 1) * 2), 0, 3) : 0;
        };
        patches.emplace(cell(s->u.dot(d), s->halfU) * 4 + cell(s->v.dot(d), s->halfV), Params::Zero()).first->second +=
            best->scores[i];
    }
    Eigen::Matrix3d covariance = inverse.topLeftCorner<3, 3>();
    if (patches.size() >= 6) {
        Square sums = Square::Zero();
        for (const auto& [cell, sum] : patches) sums += sum * sum.transpose();
        const double k = double(patches.size());
        const Eigen::Matrix3d byPatches = (inverse * sums * inverse).topLeftCorner<3, 3>() * (k / (k - 3));
        Eigen::Vector3d grow;
        for (int i = 0; i < 3; ++i)
            grow[i] = std::sqrt(std::max(1.0, byPatches(i, i) / std::max(1e-300, covariance(i, i))));
        covariance = grow.asDiagonal() * covariance * grow.asDiagonal();
    }
    // Rotation vector of the normal = a·u + b·v in the old axes; height at the new centre = c + v·a − u·b there.
    const Eigen::Vector3d d = (s->centre - middle) / height;
    Eigen::Matrix3d to;
    to << s->u.dot(u), s->u.dot(v), 0, s->v.dot(u), s->v.dot(v), 0, v.dot(d) * height, -u.dot(d) * height, height;
    s->covariance = to * covariance * to.transpose();
    if (!s->covariance.allFinite()) return std::nullopt;
    return s;
}

}  // namespace

std::optional<Surface> fitFloor(std::span<const SurePoint> points, const PlaneFit& start, double height) {
    if (!(height > 0)) return std::nullopt;
    // The middle of all points may lie well over the floor: first everything down to there, then what is near it.
    const auto rough = fitFrom(points, start, height, true);
    if (!rough) return std::nullopt;
    auto fine = fitFrom(points, rough->plane, height, false);
    return fine ? fine : rough;
}

}  // namespace va
