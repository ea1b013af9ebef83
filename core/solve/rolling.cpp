// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/rolling.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

#include "solve/resect.h"

namespace va {
namespace {

/// From one view to another, as seen in the first one's axes.
ViewRate::Move moveTo(const View& from, const View& to) {
    const Eigen::AngleAxisd turn(to.rotation * from.rotation.transpose());
    ViewRate::Move out;
    out.head<3>() = turn.angle() * turn.axis();
    out.tail<3>() = -from.rotation * (to.centre() - from.centre());
    return out;
}

}  // namespace

std::vector<ViewRate> ratesOf(const std::vector<View>& views, const std::vector<double>& times) {
    std::vector<ViewRate> out(views.size());
    const auto n = std::ssize(views);
    for (std::ptrdiff_t v = 0; v < n; ++v) {
        const auto is = [&](int k) {
            return v + k >= 0 && v + k < n && std::fabs(times[size_t(v + k)] - times[size_t(v)] - k) < 1e-9;
        };
        const auto at = [&](int k) { return moveTo(views[size_t(v)], views[size_t(v + k)]); };
        ViewRate& r = out[size_t(v)];
        if (is(-2) && is(-1) && is(1) && is(2)) {
            r.first = (8 * (at(1) - at(-1)) - (at(2) - at(-2))) / 12;
            r.second = (16 * (at(1) + at(-1)) - (at(2) + at(-2))) / 12;
        } else if (is(-1) && is(1)) {
            r.first = (at(1) - at(-1)) / 2;
            r.second = at(1) + at(-1);
        } else if (is(1)) {
            r.first = at(1);
        } else if (is(-1)) {
            r.first = -at(-1);
        }
        // The shift is turned with the view that it comes to.
        r.second.tail<3>() += 2 * r.first.head<3>().cross(r.first.tail<3>());
    }
    return out;
}

View viewAtRow(const View& middle, const ViewRate& rate, double readout, double y, int height) {
    const ViewRate::Move move = rate.after(readout * (y / std::max(1, height - 1) - 0.5));
    return moved(middle, move.head<3>(), move.tail<3>());
}

}  // namespace va
