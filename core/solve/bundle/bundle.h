// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <functional>
#include <string>
#include <vector>

#include "lens/lens_numbers.h"
#include "solve/bundle/point_tie.h"
#include "solve/camera.h"
#include "solve/rolling.h"

namespace va {

/// Cameras, lenses and points that explain observations, to be improved together.
///
///     minimise  ½ Σ_o ρ( | W_o (π(lens, R X + t) − pixel_o) |² )  +  ½ Σ_p ((value_p − mean_p) / sigma_p)²  +  ½ Σ
///     ties²
///
/// π is Intrinsics::pixelFromNormalised after division by depth; W_o whitens by the covariance of the observation; ρ is
/// Cauchy's loss or the identity. See Triggs, McLauchlan, Hartley & Fitzgibbon, "Bundle Adjustment – A Modern
/// Synthesis", 1999.
struct BundleProblem {
    struct Observation {
        int view = 0, point = 0;
        Eigen::Vector2d pixel = Eigen::Vector2d::Zero();
        Eigen::Matrix2d sqrtInformation = Eigen::Matrix2d::Identity();  ///< W, 1/px
    };
    std::vector<View> views;
    std::vector<Intrinsics> lenses;
    std::vector<int> lensOfView;  ///< one a view
    /// Zoom: focal length in px, one a view, instead of the lens's; empty: the lens's for all.
    std::vector<double> focalOfView;
    std::vector<double> timeOfView;  ///< in frames, one a view and growing; only needed for zooms
    std::vector<Eigen::Vector3d> points;
    std::vector<Observation> observations;
    std::vector<PointTie> ties;  ///< what else is known of points

    /// Rolling shutter: rows are read one after the other, the last one `readout` frames after the first; a view stands
    /// for the middle row. `rates` are how the views move meanwhile;
    /// they are taken as they are, and have to be taken anew from the views after a bundle. Empty: all rows at once.
    std::vector<ViewRate> rates;
    double readout = 0;
    int height = 0;  ///< px, of the picture whose rows are meant

    /// Inner geometry of a view, its own focal length included.
    [[nodiscard]] Intrinsics intrinsics(int view) const {
        Intrinsics i = lenses[size_t(lensOfView[size_t(view)])];
        if (!focalOfView.empty()) i.focalPx = focalOfView[size_t(view)];
        return i;
    }
    /// The view as it stood when the row of `pixel` was read.
    [[nodiscard]] View viewAt(int view, const Eigen::Vector2d& pixel) const;
};

struct BundleOptions {
    std::vector<LensValue> solved;  ///< lens values to improve; the rest stay
    struct Prior {
        int lens = 0;
        LensValue value = LensValue::focal;
        double mean = 0, sigma = 1;  ///< in the unit of the value; for focal: mean in px, sigma as a share of it
    };
    std::vector<Prior> priors;
    /// The views' own focal lengths are solved; LensValue::focal then does nothing. The slope of the logarithm of the
    /// focal length changes from frame to frame like a random walk of this deviation (a prior; 0 = none). The priors on
    /// LensValue::focal act on the first view.
    bool solveZoom = false;
    double zoomWalk = 0.002;
    bool solveReadout = false;
    std::vector<char> fixedViews;  ///< empty: none. Usually the first, to pin the world down
    bool fixedPoints = false;
    /// Cameras share one place and points are directions on a sphere around it: shifts stay, |X| stays.
    bool rotationOnly = false;
    double lossScale = 0;  ///< whitened distance where ρ begins to bend; 0 = no robust loss
    int iterations = 30;
    double stopWhenCostFallsBy = 1e-6;  ///< relative, in one step
    /// Stops as well when a step improved views and lenses by less than this part of the cost: 0.5 is one deviation of
    /// one number. Points that do not know where to go may still be on their way then.
    double stopWhenCamerasGain = 0;
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

/// Levenberg–Marquardt (Madsen, Nielsen & Tingleff 2004) on the normal equations of solve/bundle/normal_equations.h,
/// with analytic derivatives; the loss by reweighting. Assumes a start near the minimum. A problem without observations
/// is returned unchanged. The result does not depend on the number of threads.
BundleSummary bundle(BundleProblem& problem, const BundleOptions& options);

}  // namespace va
