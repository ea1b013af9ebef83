// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <functional>
#include <string>
#include <vector>

#include "lens/lens_numbers.h"
#include "solve/camera.h"

namespace va {

/// Cameras, lenses and points that explain sightings, to be improved together.
///
///     minimise  ½ Σ_o ρ( | W_o (π(lens, R X + t) − pixel_o) |² )  +  ½ Σ_p ((value_p − mean_p) / sigma_p)²
///
/// π is Intrinsics::pixelFromNormalised after division by depth; W_o whitens by the covariance of the sighting; ρ is
/// Cauchy's loss or the identity. Solved with Ceres (Levenberg–Marquardt, Schur complement over the points) and
/// analytic Jacobians. See Triggs, McLauchlan, Hartley & Fitzgibbon, "Bundle Adjustment – A Modern Synthesis", 1999.
///
/// Assumes a start near the minimum. A problem without observations is returned unchanged. The result does not depend
/// on the number of threads as long as `threads` is 1.
struct BundleProblem {
    struct Observation {
        int view = 0, point = 0;
        Eigen::Vector2d pixel = Eigen::Vector2d::Zero();
        Eigen::Matrix2d whiten = Eigen::Matrix2d::Identity();  ///< W, 1/px
    };
    std::vector<View> views;
    std::vector<Intrinsics> lenses;
    std::vector<int> lensOfView;  ///< one a view
    std::vector<Eigen::Vector3d> points;
    std::vector<Observation> observations;
};

struct BundleOptions {
    std::vector<LensValue> solved;  ///< lens values to improve; the rest stay
    struct Prior {
        int lens = 0;
        LensValue value = LensValue::focal;
        double mean = 0, sigma = 1;  ///< in the unit of the value; for focal: mean in px, sigma as a share of it
    };
    std::vector<Prior> priors;
    std::vector<char> fixedViews;  ///< empty: none. Usually the first, to pin the world down
    bool fixedPoints = false;
    /// Cameras share one place and points are directions on a sphere around it: shifts stay, |X| stays.
    bool rotationOnly = false;
    double lossScale = 0;  ///< whitened distance where ρ begins to bend; 0 = no robust loss
    int iterations = 30;
    double stopWhenCostFallsBy = 1e-6;  ///< relative, in one step
    int threads = 1;
    std::function<bool()> cancelled;  ///< asked once an iteration; true ends it with what is reached
};

struct BundleSummary {
    double initialCost = 0, finalCost = 0;  ///< as minimised
    int iterations = 0;
    double seconds = 0;
    bool usable = false;  ///< finite, and not worse than the start
    /// "cost 4.1857e+06 → 1.8034e+04 in 34 steps, 2.1 s"
    [[nodiscard]] std::string brief() const;
};

BundleSummary bundle(BundleProblem& problem, const BundleOptions& options);

}  // namespace va
