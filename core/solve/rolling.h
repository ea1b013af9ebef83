// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <vector>

#include "solve/camera.h"

namespace va {

/// How a view turns (about the camera's axes, radians) and shifts in one frame.
using ViewRate = Eigen::Matrix<double, 6, 1>;

/// The rates of a path of views at their times (in frames, growing): from the neighbours on both sides, at the ends and
/// beside gaps of more than two frames from one. A view alone stands still.
std::vector<ViewRate> ratesOf(const std::vector<View>& views, const std::vector<double>& times);

/// A view as it stood when row `y` of a picture of `height` rows was read, with the last row `readout` frames after the
/// first; `middle` is the view of the middle row.
View viewAtRow(const View& middle, const ViewRate& rate, double readout, double y, int height);

}  // namespace va
