// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "solve/camera.h"
#include "solve/minimal/homography.h"

namespace va {

/// The second views, relative to a first one at the origin, that can have made a homography b ~ H a between undistorted
/// normalised points of one plane: two at most, with |translation| = 1 and the points `a` in front of both (Ma, Soatto,
/// Kosecka & Sastry, "An Invitation to 3-D Vision", 2004, section 5.3). Which is right a third view has to tell. None
/// when H is singular or that of a nodal pan, which says nothing of a translation.
std::vector<View> posesFromHomography(const Eigen::Matrix3d& h, const Points2& a, const Points2& b);

}  // namespace va
