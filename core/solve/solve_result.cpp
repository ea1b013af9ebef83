// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/solve_result.h"

#include "solve/rolling.h"

namespace va {

std::optional<Eigen::Vector2d> SolveResult::seen(int frame, const Eigen::Vector3d& place) const {
    const SolvedFrame* here = at(frame);
    if (!here || !here->solved) return std::nullopt;
    const Intrinsics inner = intrinsics(frame);
    const View middle = viewFromPose(here->pose);
    auto pixel = project(middle, inner, place);
    if (!pixel || readout == 0 || height <= 0) return pixel;
    std::vector<View> views;
    std::vector<double> times;
    size_t mine = 0;
    const auto index = here - frames.data();
    for (auto i = std::max<std::ptrdiff_t>(0, index - 2); i < std::min<std::ptrdiff_t>(std::ssize(frames), index + 3);
         ++i) {
        const SolvedFrame& f = frames[size_t(i)];
        if (!f.solved) continue;
        if (i == index) mine = views.size();
        views.push_back(viewFromPose(f.pose));
        times.push_back(f.frame);
    }
    const ViewRate rate = ratesOf(views, times)[mine];
    // The row decides when the place is seen, and that decides the row: settled to a hundredth of a pixel in three.
    for (int round = 0; round < 3 && pixel; ++round)
        pixel = project(viewAtRow(middle, rate, readout, pixel->y(), height), inner, place);
    return pixel;
}

}  // namespace va
