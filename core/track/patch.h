// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

#include "base/plane.h"
#include "track/patch_kernels.h"
#include "track/path.h"
#include "track/pyramid.h"

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
/// out of the steepest-descent images, so they cost nothing and any gain > 0 gives the same position.
///
/// Assumes that the patch shows one nearly flat piece of surface, and that the start is within about half the texture's
/// period. On a patch without texture in some direction `usable()` is false and registration is not attempted.
class ReferencePatch {
  public:
    /// Takes the (2·radius+1)² patch around pixel (x, y) of the blurred picture (level 0 of a Pyramid). The patch and a
    /// pixel around it must lie inside the picture, else it is not usable.
    /// `reach` is the longest sweep that blurredAlong can serve, px.
    ReferencePatch(const Luma& picture, int x, int y, int radius, int reach = blurReach);

    [[nodiscard]] bool usable() const { return usable_; }
    [[nodiscard]] Eigen::Vector2d middle() const { return {x_, y_}; }
    [[nodiscard]] int radius() const { return radius_; }
    /// Grey level of the reference at an offset from its middle, rounded to a pixel and kept inside what is known.
    [[nodiscard]] float textureAt(const Eigen::Vector2d& offset) const;

    struct Options {
        MotionModel model = MotionModel::affine;  ///< what may change; the rest of the shape stays as given
        int iterations = 10;                      ///< at most; 2 or 3 suffice after a good prediction
        double stop = 0.05;                       ///< px: a shorter step is the last; it leaves about a tenth of itself
        std::vector<float>* samples = nullptr;    ///< gets the picture's grey levels under the patch, for addResidual
    };
    struct Result {
        Placement placement;
        double correlation = 0;  ///< normalised, −1..1, between the picture there and the reference
        double residual = 0;     ///< RMS grey levels left after gain and bias
        double gain = 1;         ///< contrast there over the reference's
        Eigen::Matrix2d covariance =
            Eigen::Matrix2d::Zero();  ///< of the position, px², from residual, gradients and blur
        /// Of the position, px², from how the nine parts of the patch pull against each other: the cluster-robust
        /// covariance (Liang & Zeger, Biometrika 1986). Equal to `covariance` on average when the residual is noise;
        /// larger when parts of the patch moved differently.
        Eigen::Matrix2d scatter = Eigen::Matrix2d::Zero();
        int iterations = 0;
    };
    /// Sizes, over that in the reference, from which on a softer picture is registered in: a little beyond where its
    /// blur equals the reference's (1.36 and 1.65), since too much of it loses more than too little.
    static constexpr double softerFrom = 1.4, coarserFrom = 1.8;

    /// Registers in the level of the pyramid whose blur fits the size that the patch has there, so that a position seen
    /// from nearer or through a longer lens is averaged as the reference was, not sampled here and there. All positions
    /// are in px of level 0. Nothing if the patch leaves the picture, the normal matrix is singular, or the steps run
    /// away.
    [[nodiscard]] std::optional<Result> registerIn(const Pyramid& picture, const Placement& start,
                                                   const Options& options) const;
    [[nodiscard]] std::optional<Result> registerIn(const Pyramid& picture, const Placement& start) const {
        return registerIn(picture, start, Options{});
    }

    /// Adds to `squares` (one a position of the layout, any size at first) what is left of a registration's samples
    /// after gain and bias, squared, in grey levels of the reference.
    void addResidual(const std::vector<float>& samples, std::vector<float>& squares) const;
    /// Weighs each pixel by how well it went with the others so far: mean squared residuals from addResidual, over
    /// `frames` frames. What lies at another depth, glitters or is hidden now and then stops pulling.
    void weigh(const std::vector<float>& squares, int frames);
    /// Share of the patch's texture that weighing left, 0..1: low when two surfaces share the patch.
    [[nodiscard]] double solidShare() const { return solidShare_; }

    /// The same patch as it looks under motion blur along `sweep` (px of the reference's frame, whole length), whose
    /// middle stands where the shutter's middle was. `distort` curves it: at the time t of the exposure, −½…½, the
    /// surface is at t·sweep + t²·distort. Not usable where too little of the picture around the patch was kept.
    [[nodiscard]] ReferencePatch blurredAlong(const Eigen::Vector2d& sweep,
                                              const Eigen::Vector2d& distortion = Eigen::Vector2d::Zero()) const;
    static constexpr int blurReach = 20;  ///< px, of the longest sweep

  private:
    ReferencePatch() = default;
    struct Seen {
        const Luma& picture;
        double unit;  ///< px of level 0 that one of its pixels stands for
    };
    static Seen pictureFor(const Pyramid& picture, const Eigen::Matrix2d& shape);
    /// Everything that registration needs, from `window_` and the weights (by pixel of the square patch; empty: all 1).
    void prepare(const std::vector<float>& weights = {});
    /// The same with weights of 1, by vector kernels in single precision: for blurred references, each of which serves
    /// for one frame.
    void prepareEvenly();

    static constexpr int parts = 9;  ///< 3 × 3, for Result::scatter
    double x_ = 0, y_ = 0;
    int radius_ = 0;
    bool usable_ = false;
    Luma window_;                                ///< the picture around the patch, for blurredAlong
    int windowMargin_ = 0;                       ///< px of it on each side of the patch
    std::shared_ptr<const PatchLayout> layout_;  ///< the order of the arrays below
    std::vector<float> weight_;                  ///< of the pixels, mean 1, but 0 for those the layout repeats
    std::vector<float> plain_;                   ///< T as it is, grey levels
    std::vector<float> texture_;                 ///< T with weighted mean 0, times the weight
    std::vector<float> gx_, gy_;                 ///< gradients of T, times the weight
    /// Parts of 1 and of T in the steepest-descent images for (tx, ty, a, b, c, d): projected out of every sum.
    Eigen::Matrix<double, 6, 1> alongOne_, alongT_;
    double power_ = 0;  ///< Σ w T²
    double mean_ = 0;   ///< weighted, of the window's grey levels under the patch
    double solidShare_ = 1;
    Eigen::Matrix<double, 6, parts> partWithT_, partWithOne_;  ///< Σ descent · T and Σ descent over each part
    Eigen::Matrix<double, 6, 6> inverse_[3];                   ///< of the normal matrix, by motion model, 0 where fixed
    Eigen::Matrix2d spread_[3];                                ///< covariance of (tx, ty) for raw noise of variance 1
};

}  // namespace va
