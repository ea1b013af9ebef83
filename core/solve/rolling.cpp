// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/rolling.h"

#include <Eigen/Geometry>
#include <algorithm>

#include "solve/resect.h"

namespace va {

std::vector<ViewRate> ratesOf(const std::vector<View>& views, const std::vector<double>& times) {
    std::vector<ViewRate> out(views.size(), ViewRate::Zero());
    const auto near = [&](size_t a, size_t b) { return times[b] - times[a] <= 2; };
    for (size_t v = 0; v < views.size(); ++v) {
        const size_t a = v > 0 && near(v - 1, v) ? v - 1 : v, b = v + 1 < views.size() && near(v, v + 1) ? v + 1 : v;
        if (a == b) continue;
        const double span = times[b] - times[a];
        const Eigen::AngleAxisd turn(views[b].rotation * views[a].rotation.transpose());
        out[v].head<3>() = turn.angle() * turn.axis() / span;
        out[v].tail<3>() = -views[v].rotation * (views[b].centre() - views[a].centre()) / span;
    }
    return out;
}

View viewAtRow(const View& middle, const ViewRate& rate, double readout, double y, int height) {
    const double late = readout * (y / std::max(1, height - 1) - 0.5);
    return moved(middle, late * rate.head<3>(), late * rate.tail<3>());
}

}  // namespace va
