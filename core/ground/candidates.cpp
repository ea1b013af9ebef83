// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/candidates.h"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>
#include <set>

#include "base/parallel.h"

namespace va {
namespace {

constexpr size_t mostPoints = 4000;  ///< of a larger cloud an even choice is looked at
constexpr int neighbours = 16;       ///< among which samples are drawn
constexpr int oriented = 9;          ///< the nearest ones, with the point itself, whose plane is a point's orientation
constexpr int leastTrials = 250, mostTrials = 1200;
constexpr double trialsByPoints = 3e5;  ///< trials times points: small regions are hard to draw in small clouds
constexpr double bluntest = 4;          ///< deviation in reliefs from which on a point says nothing of a plane
constexpr int mostMissed = 4;           ///< rounds of samples without a plane, until the search ends
constexpr double leastShare = 0.35;     ///< of a point's neighbours that must lie on its plane
constexpr size_t finalists = 12;        ///< samples, best by support, whose neighbourhoods are looked at
constexpr double alike = 0.77;          ///< cosine of the angle (40°) up to which orientations count as the plane's
constexpr double flatKind = 0.34;       ///< sine of the tilt (20°) up to which a plane is level or upright
constexpr double unsureDepth = 0.1;     ///< share of the depth by which a point may be uncertain and still take part

/// How rough a surface may be, as a share of the depth that it is seen from, and what a point that lies on so smooth a
/// one counts for: few points lie on a smooth plane by chance.
struct Relief {
    double share, worth;
};
constexpr Relief reliefs[] = {{0.0005, 1.6}, {0.002, 1.0}};

struct OrientedPoint {
    const SurePoint* point = nullptr;
    Eigen::Vector3d normal = Eigen::Vector3d::Zero();  ///< of its neighbourhood; zero = of none
    std::vector<int> near;
    double largestSigma = 0;  ///< no less than the deviation along any direction
};

void orient(std::vector<OrientedPoint>& cloud) {
    parallelRanges(int(cloud.size()), 64, [&](int begin, int end) {
        std::vector<std::pair<double, int>> far(cloud.size());
        for (int i = begin; i < end; ++i) {
            OrientedPoint& p = cloud[size_t(i)];
            for (size_t k = 0; k < cloud.size(); ++k)
                far[k] = {(cloud[k].point->position - p.point->position).squaredNorm(), int(k)};
            const size_t count = std::min(cloud.size(), size_t(neighbours) + 1);
            std::nth_element(far.begin(), far.begin() + std::ptrdiff_t(count - 1), far.end());
            std::sort(far.begin(), far.begin() + std::ptrdiff_t(count));
            std::vector<Eigen::Vector3d> around;
            for (size_t k = 0; k < count; ++k) {
                if (far[k].second != i) p.near.push_back(far[k].second);
                if (k < size_t(oriented)) around.push_back(cloud[size_t(far[k].second)].point->position);
            }
            if (const auto plane = fitPlane(around)) p.normal = plane->normal;
        }
    });
}

/// How well a point lies on a plane, 0..1.
double agreement(const OrientedPoint& p, const PlaneFit& plane, const Relief& relief) {
    const double even = relief.share * p.point->depth, r = plane.distance(p.point->position);
    if (std::fabs(r) > 3 * (p.largestSigma + even)) return 0;  // most are
    const double sigma = p.point->sigmaAlong(plane.normal), limit = 9 * (sigma * sigma + even * even);
    if (r * r > limit || sigma > bluntest * even) return 0;
    const bool turned = p.normal.squaredNorm() > 0 && std::fabs(p.normal.dot(plane.normal)) < alike;
    // A point whose depth is unsure lies on many planes.
    const double sharp = even / std::sqrt(sigma * sigma + even * even);
    return (1 - r * r / limit) * (turned ? 0.3 : 1) * sharp * relief.worth;
}

double supportOf(const std::vector<OrientedPoint>& cloud, const std::vector<int>& left, const PlaneFit& plane,
                 const Relief& relief) {
    double sum = 0;
    for (const int i : left) sum += agreement(cloud[size_t(i)], plane, relief);
    return sum;
}

/// The points that lie on a plane amid others that do: what lies on it by chance is surrounded by what does not.
/// `support` is the sum of the points, each weighed by the share of its neighbours that lie on it as well.
struct Region {
    std::vector<int> on;
    double support = 0;
};

/// Of a plane that is not level only the largest connected part counts: walls end, a floor goes on behind things.
void keepLargest(Region& region, const std::vector<OrientedPoint>& cloud, const std::vector<double>& worth) {
    std::vector<int> part(cloud.size(), -1);
    for (const int i : region.on) part[size_t(i)] = i;
    const auto root = [&](int i) {
        while (part[size_t(i)] != i) i = part[size_t(i)] = part[size_t(part[size_t(i)])];
        return i;
    };
    for (const int i : region.on)
        for (const int k : cloud[size_t(i)].near)
            if (part[size_t(k)] >= 0) part[size_t(root(i))] = root(k);
    std::vector<double> sums(cloud.size(), 0);
    for (const int i : region.on) sums[size_t(root(i))] += worth[size_t(i)];
    const int largest = int(std::max_element(sums.begin(), sums.end()) - sums.begin());
    std::erase_if(region.on, [&](int i) { return root(i) != largest; });
    region.support = sums[size_t(largest)];
}

Region regionOf(const std::vector<OrientedPoint>& cloud, const std::vector<int>& left, const PlaneFit& plane,
                const Relief& relief, const Eigen::Vector3d& up) {
    std::vector<double> fits(cloud.size(), 0), worth(cloud.size(), 0);
    for (const int i : left) fits[size_t(i)] = agreement(cloud[size_t(i)], plane, relief);
    Region out;
    for (const int i : left) {
        if (fits[size_t(i)] <= 0) continue;
        const auto& near = cloud[size_t(i)].near;
        // The nearer half of the neighbours: a small region is smaller than all of them.
        const auto count = std::ptrdiff_t(std::max(size_t(1), near.size() / 2));
        const auto onIt = std::count_if(near.begin(), near.begin() + count, [&](int k) { return fits[size_t(k)] > 0; });
        const double share = double(onIt) / double(count);
        if (share < leastShare) continue;
        out.on.push_back(i);
        worth[size_t(i)] = fits[size_t(i)] * share;
        out.support += worth[size_t(i)];
    }
    if (!out.on.empty() && std::fabs(plane.normal.dot(up)) < std::sqrt(1 - flatKind * flatKind))
        keepLargest(out, cloud, worth);
    return out;
}

}  // namespace

void sortKinds(std::vector<Candidate>& candidates, const Eigen::Vector3d& cameras, const Eigen::Vector3d& up) {
    const Surface* main = nullptr;
    for (Candidate& c : candidates) {
        const double lean = c.surface.plane.normal.dot(up);
        c.kind = std::fabs(lean) < flatKind              ? SurfaceKind::wall
                 : lean * lean > 1 - flatKind * flatKind ? SurfaceKind::floor
                                                         : SurfaceKind::slope;
        if (!main && c.kind == SurfaceKind::floor && lean > 0) main = &c.surface;
    }
    for (Candidate& c : candidates)
        if (c.kind == SurfaceKind::floor && &c.surface != main &&
            (!main || main->plane.distance(c.surface.centre) > 0.02 * main->plane.distance(cameras)))
            c.kind = SurfaceKind::top;
}

std::vector<Candidate> findCandidates(const std::vector<SurePoint>& points, const Eigen::Vector3d& cameras,
                                      const Eigen::Vector3d& up, int most, uint64_t seed) {
    std::vector<Candidate> out;
    std::vector<OrientedPoint> cloud;
    const size_t step = 1 + points.size() / mostPoints;
    for (size_t i = 0; i < points.size(); i += step) {
        const SurePoint& p = points[i];
        if (p.covariance.trace() < unsureDepth * unsureDepth * p.depth * p.depth) {
            cloud.emplace_back();
            cloud.back().point = &p;
            cloud.back().largestSigma = std::sqrt(p.covariance.trace());
        }
    }
    if (cloud.size() < 12) return out;
    orient(cloud);
    std::vector<int> left(cloud.size());
    std::iota(left.begin(), left.end(), 0);
    std::mt19937_64 random(seed);
    const double enough = std::max(3.5, 0.004 * double(cloud.size()));
    std::vector<double> depths;
    for (const OrientedPoint& p : cloud) depths.push_back((p.point->position - cameras).norm());
    std::nth_element(depths.begin(), depths.begin() + std::ptrdiff_t(depths.size() / 2), depths.end());
    const double typical = depths[depths.size() / 2];
    int missed = 0;
    while (int(out.size()) < most && left.size() >= 8) {
        // All samples are drawn before they are judged, so that judging can be shared out.
        std::vector<PlaneFit> drawn;
        const int trials = std::clamp(int(trialsByPoints / double(left.size())), leastTrials, mostTrials);
        for (int trial = 0; trial < trials; ++trial) {
            const OrientedPoint& p = cloud[size_t(left[size_t(random() % left.size())])];
            // Small regions, larger ones, and every third sample reaches over the whole cloud: floors with few points.
            const size_t reach = trial % 3 == 0 ? p.near.size() / 2 : trial % 3 == 1 ? p.near.size() : 0;
            std::vector<Eigen::Vector3d> three{p.point->position};
            for (int k = 0; k < 2; ++k) {
                const int other = reach ? p.near[size_t(random() % reach)] : left[size_t(random() % left.size())];
                three.push_back(cloud[size_t(other)].point->position);
            }
            if (const auto plane = fitPlane(three)) drawn.push_back(*plane);
        }
        Region best;
        const Relief* smooth = nullptr;
        for (const Relief& relief : reliefs) {
            std::vector<double> support(drawn.size());
            parallelRanges(int(drawn.size()), 16, [&](int begin, int end) {
                for (int i = begin; i < end; ++i) support[size_t(i)] = supportOf(cloud, left, drawn[size_t(i)], relief);
            });
            std::vector<size_t> order(drawn.size());
            std::iota(order.begin(), order.end(), size_t(0));
            const size_t few = std::min(finalists, order.size());
            std::partial_sort(order.begin(), order.begin() + std::ptrdiff_t(few), order.end(), [&](size_t a, size_t b) {
                return std::pair(-support[a], a) < std::pair(-support[b], b);
            });
            for (size_t k = 0; k < few; ++k)
                if (Region r = regionOf(cloud, left, drawn[order[k]], relief, up); r.support > best.support)
                    best = std::move(r), smooth = &relief;
        }
        std::optional<Surface> surface;
        for (int round = 0; round < 3 && best.on.size() >= 3; ++round) {
            std::vector<SurePoint> on;
            for (const int i : best.on) on.push_back(*cloud[size_t(i)].point);
            auto better = fitSurface(on, true);
            if (!better) break;
            surface = std::move(better);
            best = regionOf(cloud, left, surface->plane, *smooth, up);
        }
        if (!surface || best.support < enough) {
            if (++missed == mostMissed) break;
            continue;
        }
        Candidate c;
        c.support = best.support * std::min(1.0, 3 * typical / (surface->centre - cameras).norm());
        const std::set<int> taken(best.on.begin(), best.on.end());
        std::erase_if(left, [&](int i) { return taken.contains(i); });
        if (surface->plane.distance(cameras) < 0) surface->flip();
        surface->outliers.clear();  // nobody chose them
        c.surface = std::move(*surface);
        out.push_back(std::move(c));
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const Candidate& a, const Candidate& b) { return a.support > b.support; });
    sortKinds(out, cameras, up);
    return out;
}

}  // namespace va
