// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <vector>

#include "solve/camera.h"

namespace va {

/// How a view turns (about the camera's axes, radians) and shifts around a frame's time: the first three derivatives.
struct ViewRate {
    using Move = Eigen::Matrix<double, 6, 1>;  ///< turn, shift, as moved() takes them
    Move first = Move::Zero();                 ///< a frame
    Move second = Move::Zero();                ///< a frame²
    Move third = Move::Zero();                 ///< a frame³

    /// What has happened `late` frames after.
    [[nodiscard]] Move after(double late) const { return late * (first + late / 2 * (second + late / 3 * third)); }
    /// In a world that is so many times as large.
    [[nodiscard]] ViewRate scaled(double times) const {
        ViewRate out = *this;
        for (Move* m : {&out.first, &out.second, &out.third}) m->tail<3>() *= times;
        return out;
    }
    [[nodiscard]] Move slope(double late) const { return first + late * (second + late / 2 * third); }
};

/// The rate of one of a path of views, at their times (in frames, growing): that of the polynomial through it and up to
/// eight neighbours on each side, since a shake of the hand takes few frames; at ends and gaps through up to five views
/// in all. A view alone stands still. Finite differences by Fornberg 1988.
ViewRate rateOf(const std::vector<View>& views, const std::vector<double>& times, size_t view);
/// Of all views.
std::vector<ViewRate> ratesOf(const std::vector<View>& views, const std::vector<double>& times);

/// A view as it stood when row `y` of a picture of `height` rows was read, with the last row `readout` frames after the
/// first; `middle` is the view of the middle row.
View viewAtRow(const View& middle, const ViewRate& rate, double readout, double y, int height);

}  // namespace va
