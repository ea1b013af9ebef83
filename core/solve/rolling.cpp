// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/rolling.h"

#include <Eigen/Geometry>
#include <Eigen/LU>
#include <algorithm>
#include <cmath>

#include "solve/minimal/resect.h"

namespace va {
namespace {

/// From one view to another, as seen in the first one's axes.
ViewRate::Move moveTo(const View& from, const View& to) {
    const Eigen::AngleAxisd rotation(to.rotation * from.rotation.transpose());
    ViewRate::Move out;
    out.head<3>() = rotation.angle() * rotation.axis();
    out.tail<3>() = -from.rotation * (to.centre() - from.centre());
    return out;
}

/// What the values at whole steps from −before to after count for in the first three derivatives at 0.
struct Differences {
    Eigen::VectorXd first, second, third;
};

/// Neighbours on each side: a shake of three and a half frames needs eight for its rate to be right within 2 %. With
/// four it would be 7 % off, and rates gain only a sixth more of the views' errors by the wider reach.
constexpr int mostNeighbours = 8;

/// Weights that are exact for every polynomial that the steps determine.
Differences differences(int before, int after) {
    const int n = before + after + 1;
    const double unit = std::max({1, before, after});  // powers of large steps would drown the small ones
    Eigen::MatrixXd powers(n, n);
    for (int k = 0; k < n; ++k)
        for (int e = 0; e < n; ++e) powers(e, k) = std::pow((k - before) / unit, e);
    const Eigen::PartialPivLU<Eigen::MatrixXd> solve(powers);
    const auto weights = [&](int order, double factorial) -> Eigen::VectorXd {
        if (order >= n) return Eigen::VectorXd::Zero(n);
        return solve.solve(factorial / std::pow(unit, order) * Eigen::VectorXd::Unit(n, order));
    };
    return {weights(1, 1), weights(2, 2), weights(3, 6)};
}

}  // namespace

ViewRate rateOf(const std::vector<View>& views, const std::vector<double>& times, size_t view) {
    const auto n = std::ssize(views), v = std::ptrdiff_t(view);
    // Neighbours that follow each other frame by frame.
    const auto reach = [&](int way) {
        int k = 0;
        while (k < mostNeighbours && v + (k + 1) * way >= 0 && v + (k + 1) * way < n &&
               std::fabs(times[size_t(v + (k + 1) * way)] - times[size_t(v)] - (k + 1) * way) < 1e-9)
            ++k;
        return k;
    };
    int before = reach(-1), after = reach(1);
    if (const int both = std::min(before, after); both >= 2) before = after = both;
    else if (before < after) after = std::min(after, 4 - before);
    else before = std::min(before, 4 - after);
    const Differences d = differences(before, after);
    ViewRate r;
    for (int k = -before; k <= after; ++k) {
        if (k == 0) continue;
        const ViewRate::Move move = moveTo(views[size_t(v)], views[size_t(v + k)]);
        r.first += d.first(k + before) * move;
        r.second += d.second(k + before) * move;
        r.third += d.third(k + before) * move;
    }
    // The shift is turned with the view that it comes to: exp(turn) · shift, in powers of the time.
    const Eigen::Vector3d rotation = r.first.head<3>(), turn2 = r.second.head<3>(), shift = r.first.tail<3>(),
                          shift2 = r.second.tail<3>();
    r.second.tail<3>() += 2 * rotation.cross(shift);
    r.third.tail<3>() += 3 * (rotation.cross(shift2) + turn2.cross(shift) + rotation.cross(rotation.cross(shift)));
    return r;
}

std::vector<ViewRate> ratesOf(const std::vector<View>& views, const std::vector<double>& times) {
    std::vector<ViewRate> out(views.size());
    for (size_t v = 0; v < views.size(); ++v) out[v] = rateOf(views, times, v);
    return out;
}

View viewAtRow(const View& middle, const ViewRate& rate, double readout, double y, int height) {
    const ViewRate::Move move = rate.after(readout * (y / std::max(1, height - 1) - 0.5));
    return moved(middle, move.head<3>(), move.tail<3>());
}

}  // namespace va
