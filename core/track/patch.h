// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

#include "base/plane.h"

namespace va {

/// Affine placement of a patch in a picture: pixel = shape · u + at, with u the offset from the patch's middle in px of
/// its own frame.
struct Placement {
    Eigen::Matrix2d shape = Eigen::Matrix2d::Identity();
    Eigen::Vector2d at = Eigen::Vector2d::Zero();
};

/// The picture patch that a path is measured against, with all that registration needs made once.
///
/// Registration finds the placement and the gain and bias that minimise
///
///     Σ_u ( I(shape·u + at) − gain·T(u) − bias )²
///
/// by the inverse compositional method (Baker & Matthews, "Lucas-Kanade 20 Years On", IJCV 2004): gradients and normal
/// matrix belong to the reference and are made once, an iteration only samples the picture. Gain and bias are projected
/// out of the steepest-descent images, so they cost nothing and any gain > 0 gives the same place.
///
/// Assumes that the patch shows one nearly flat piece of surface, and that the start is within about half the texture's
/// period. On a patch without texture in some direction `usable()` is false and registration is not attempted.
class ReferencePatch {
  public:
    /// Takes the (2·radius+1)² patch around pixel (x, y) of the blurred picture (level 0 of a Pyramid). The patch and a
    /// pixel around it must lie inside the picture, else it is not usable.
    ReferencePatch(const Luma& picture, int x, int y, int radius);

    [[nodiscard]] bool usable() const { return usable_; }
    [[nodiscard]] Eigen::Vector2d middle() const { return {x_, y_}; }
    [[nodiscard]] int radius() const { return radius_; }

    struct Options {
        bool affine = true;   ///< else translation only, at the shape given
        int iterations = 10;  ///< at most; 2 or 3 suffice after a good prediction
        double stop = 0.03;   ///< px: a shorter step is the last; it leaves about a tenth of itself
    };
    struct Result {
        Placement placement;
        double correlation = 0;  ///< normalised, −1..1, between the picture there and the reference
        double residual = 0;     ///< RMS grey levels left after gain and bias
        Eigen::Matrix2d covariance = Eigen::Matrix2d::Zero();  ///< of the place, px², from residual, gradients and blur
        int iterations = 0;
    };
    /// Nothing if the patch leaves the picture, the normal matrix is singular, or the steps run away.
    [[nodiscard]] std::optional<Result> registerIn(const Luma& picture, const Placement& start,
                                                   const Options& options) const;
    [[nodiscard]] std::optional<Result> registerIn(const Luma& picture, const Placement& start) const {
        return registerIn(picture, start, Options{});
    }

  private:
    double x_ = 0, y_ = 0;
    int radius_ = 0;
    bool usable_ = false;
    int count_ = 0;               ///< pixels, padded to a multiple of 8 with zero weight
    std::vector<float> u_, v_;    ///< offsets of the pixels
    std::vector<float> one_;      ///< 1 for real pixels, 0 for padding
    std::vector<float> texture_;  ///< T with mean 0
    std::vector<float> descent_;  ///< six rows: steepest-descent images for (tx, ty, a, b, c, d), T and 1 projected out
    double power_ = 0;            ///< Σ T²
    Eigen::Matrix<double, 6, 6> affineInverse_;
    Eigen::Matrix2d shiftInverse_;
    Eigen::Matrix2d affineSpread_, shiftSpread_;  ///< covariance of (tx, ty) for raw noise of variance 1
};

}  // namespace va
