// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <vector>

#include "solve/camera.h"
#include "solve/minimal/homography.h"

namespace va {

using Points3 = std::vector<Eigen::Vector3d>;

/// The up to four views that see three world points at three undistorted normalised positions (Grunert 1841, in the
/// form of Haralick, Lee, Ottenberg & Nölle, IJCV 1994). None for collinear points.
std::vector<View> viewsFromThree(const Points3& world, const Points2& undistorted, const std::vector<int>& three);

/// View from many points, some of them wrong: sampled threes, then refineView on all that agree.
/// `threshold` in normalised units (px / focal length in px).
SamplingResult<View> robustResection(const Points3& world, const Points2& undistorted, const SamplingOptions& options);

/// Improves a view so that Σ ρ(weight · |projection − undistorted|²) is smallest, ρ being Huber's function with its
/// distortion at `distort` (in √(weight)·distance); Levenberg–Marquardt over six parameters. Points behind the camera
/// are left out. Needs three points.
View refineView(View start, const Points3& world, const Points2& undistorted, const std::vector<double>& weights,
                double distortion);

/// A view turned by `turn` (rotation vector, in camera axes) and moved by `move`.
View moved(const View& view, const Eigen::Vector3d& rotation, const Eigen::Vector3d& move);

}  // namespace va
