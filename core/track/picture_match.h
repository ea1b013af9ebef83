// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <vector>

#include "base/plane.h"

namespace va {

/// Distinctive spots of a picture with descriptors that stay alike when the picture is taken from elsewhere.
struct PictureSpots {
    std::vector<Eigen::Vector2d> at;  ///< px
    std::vector<double> size;         ///< px, of what is described
    std::vector<double> angle;        ///< radians, of its main gradient
    std::vector<float> descriptors;   ///< 128 a spot
};

/// Scale-invariant features (Lowe, IJCV 2004; OpenCV's implementation), described by the square roots of their
/// histograms (Arandjelović & Zisserman, CVPR 2012). At most `most`, the strongest, one a position. A picture without
/// texture gives none.
PictureSpots describePicture(const Luma& picture, int most = 3000);

struct SpotMatch {
    int a = 0, b = 0;  ///< indices
};

/// Pairs of spots that are each other's best match and clearly better than the second best (Lowe's ratio, 0.8), and
/// that agree with one epipolar geometry to 2 px (Barath et al., MAGSAC++, CVPR 2020; OpenCV's implementation). Empty
/// where so few agree that chance explains them: pictures of different places. Equal input gives equal pairs.
std::vector<SpotMatch> matchSpots(const PictureSpots& a, const PictureSpots& b);

}  // namespace va
