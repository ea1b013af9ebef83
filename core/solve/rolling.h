// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <vector>

#include "solve/camera.h"

namespace va {

/// How a view turns (about the camera's axes, radians) and shifts in a frame's time: rate and its change.
struct ViewRate {
    using Move = Eigen::Matrix<double, 6, 1>;  ///< turn, shift, as moved() takes them
    Move first = Move::Zero();                 ///< a frame
    Move second = Move::Zero();                ///< a frame²

    /// What has happened `late` frames after.
    [[nodiscard]] Move after(double late) const { return late * first + 0.5 * late * late * second; }
    [[nodiscard]] Move slope(double late) const { return first + late * second; }
};

/// The rates of a path of views at their times (in frames, growing): through five neighbours where they are, since a
/// shake of the hand takes few frames; else through three, or two at ends and gaps. A view alone stands still.
std::vector<ViewRate> ratesOf(const std::vector<View>& views, const std::vector<double>& times);

/// A view as it stood when row `y` of a picture of `height` rows was read, with the last row `readout` frames after the
/// first; `middle` is the view of the middle row.
View viewAtRow(const View& middle, const ViewRate& rate, double readout, double y, int height);

}  // namespace va
