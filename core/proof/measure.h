// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>

#include "base/picture.h"
#include "base/plane.h"
#include "media/plate_source.h"

namespace va {

/// Blur of one straight edge in a rectangle, as the sigma of a Gaussian in px: the edge's profile over its normal at a
/// quarter of a px, its slope's spectrum, and the frequency at which that has halved (ISO 12233, slanted edge). Nothing
/// where there is no straight edge, it lies along the pixels' rows or columns, or its contrast is below 5 % of white.
std::optional<double> edgeBlur(const Luma& luma, int left, int top, int width, int height);

/// The plate's blur around a place: the quarter of the edges there that is sharpest.
struct BlurMeasure {
    double sigma = -1;  ///< px; negative = no edges found
    int edges = 0;
};
BlurMeasure measureBlur(const Luma& luma, const Eigen::Vector2d& place, double reach);

/// Grain in the flattest parts of a picture, of its stored values: standard deviation per channel, and over how many px
/// it hangs together. Sigma 0 where no part is flat.
struct GrainMeasure {
    Eigen::Vector3f sigma{0, 0, 0};
    float size = 1;
    int tiles = 0;
};
GrainMeasure measureGrain(const Picture& stored);

/// Share of light that is left in a shadow: means over 9 × 9 px around a shaded and a lit spot of one ground, linear
/// light. Throws InputError: a spot outside of the picture, or the lit one no brighter.
Eigen::Vector3d shadowLeft(const Picture& stored, PictureEncoding encoding, const Eigen::Vector2d& lit,
                           const Eigen::Vector2d& shaded);

/// Light of a spot: the mean over 9 × 9 px, linear. Throws InputError: a spot outside of the picture.
Eigen::Vector3d spotLight(const Picture& stored, PictureEncoding encoding, const Eigen::Vector2d& spot);

/// Haze by what it adds to dark things at two distances: light L = H · (1 − 2^(−d / h)) per channel, of a thing that is
/// nearly black itself (Koschmieder's law, as in Narasimhan & Nayar, "Vision and the atmosphere", IJCV 48, 2002).
struct HazeMeasure {
    double halved = 0;                   ///< h: distance in which half of a thing's colour is gone
    Eigen::Vector3d colour = {0, 0, 0};  ///< H, linear light
};
/// Distances in world units. Throws InputError: the far place is not farther, not lighter, or lighter than haze
/// explains.
HazeMeasure hazeBetween(const Eigen::Vector3d& nearLight, double near, const Eigen::Vector3d& farLight, double far);

}  // namespace va
