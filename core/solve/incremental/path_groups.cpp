// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/path_groups.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>
#include <span>

#include "track/track.h"

namespace va {
namespace {

using Places = std::vector<Eigen::Vector3d>;

/// Where the middle view sees points: over focal length, and half the logarithm of depth.
Places placesInMiddleView(const BundleProblem& problem) {
    const View& middle = problem.views[problem.views.size() / 2];
    Places out;
    for (const Eigen::Vector3d& point : problem.points) {
        const Eigen::Vector3d at = middle.toCamera(point);
        const double depth = std::max(1e-12, std::fabs(at.z()));
        const auto share = [&](double part) { return std::clamp(part / depth, -3.0, 3.0); };
        out.emplace_back(share(at.x()), share(at.y()), 0.5 * std::log(depth));
    }
    return out;
}

void halve(const Places& places, std::span<int> points, int halvings, PathGroups& out) {
    constexpr size_t fewest = 12;
    if (halvings == 0 || points.size() < fewest) {
        for (const int p : points) out.ofPoint[size_t(p)] = out.count;
        ++out.count;
        return;
    }
    Eigen::Vector3d mean = Eigen::Vector3d::Zero(), spread = Eigen::Vector3d::Zero();
    for (const int p : points) mean += places[size_t(p)] / double(points.size());
    for (const int p : points) spread += (places[size_t(p)] - mean).cwiseAbs2();
    Eigen::Index axis = 0;
    spread.maxCoeff(&axis);
    std::stable_sort(points.begin(), points.end(),
                     [&](int a, int b) { return places[size_t(a)][axis] < places[size_t(b)][axis]; });
    const size_t half = points.size() / 2;
    halve(places, points.first(half), halvings - 1, out);
    halve(places, points.subspan(half), halvings - 1, out);
}

}  // namespace

PathGroups scatteredNeighbourhoods(const BundleProblem& problem, int wanted) {
    const View& middle = problem.views[problem.views.size() / 2];
    const Intrinsics lens = problem.intrinsics(int(problem.views.size() / 2));
    const double apart = 2 * (2 * defaultPatchRadius(int(2 * lens.principalPoint.x())) + 1);
    std::map<std::array<int, 3>, int> cells;
    PathGroups out;
    for (const Eigen::Vector3d& point : problem.points) {
        const Eigen::Vector3d at = middle.toCamera(point);
        const auto cell = [&](double share) {
            return int(std::lround(std::clamp(share * lens.focalPx / apart, -1e6, 1e6)));
        };
        const double depth = std::max(1e-12, std::fabs(at.z()));
        const std::array<int, 3> key{cell(at.x() / depth), cell(at.y() / depth), at.z() > 0};
        out.ofPoint.push_back(cells.emplace(key, int(cells.size())).first->second);
    }
    out.count = std::min({wanted, int(cells.size()) / 2, int(problem.points.size()) / 6});
    for (int& g : out.ofPoint) g %= std::max(1, out.count);
    return out;
}

PathGroups regions(const BundleProblem& problem, int halvings) {
    PathGroups out;
    if (problem.points.empty() || problem.views.empty()) return out;
    out.ofPoint.assign(problem.points.size(), 0);
    std::vector<int> points(problem.points.size());
    std::iota(points.begin(), points.end(), 0);
    halve(placesInMiddleView(problem), points, std::max(0, halvings), out);
    return out;
}

}  // namespace va
