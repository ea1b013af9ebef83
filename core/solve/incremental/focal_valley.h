// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <optional>
#include <utility>
#include <vector>

#include "solve/bundle/bundle.h"
#include "solve/incremental/reconstruction.h"

namespace va {

/// The cost of a solve along its focal length, all else following: the profile likelihood (Venzon & Moolgavkar, Appl.
/// Statist. 37, 1988) over some of the views. With little parallax depth takes up nearly all of an error of the focal
/// length: the cost is a long, bent valley, in which a search may stop long before the bottom, and whose width its
/// curvature at one place does not tell.
class FocalValley {
  public:
    /// Settles the views at hand first. Needs a focal length that is solved, the same in all frames.
    FocalValley(const Reconstruction& r, const std::vector<LensValue>& values,
                const std::vector<BundleOptions::Prior>& priors, std::function<bool()> cancelled);
    /// False where there is nothing to follow: no such focal length, or too few observations.
    [[nodiscard]] bool usable() const { return usable_; }
    /// Goes down the valley in growing steps, the first a relative one. Returns the focal length at its bottom, px.
    double descend(double step);
    /// Lowest cost found, as a bundle minimises it.
    [[nodiscard]] double cost() const { return cost_; }
    /// What a higher cost, with all observations the same, is as a square of deviations: twice the rise over the
    /// variance. `together` as in width().
    [[nodiscard]] double deviationsSquared(double higher, double together) const;
    /// Relative deviation of the focal length by the profile: offsets of 1, 2 and 4 times `sigma` (relative) to both
    /// sides, as far as they cost up to nine, each over the root of what it costs; the widest counts. Never below
    /// `sigma`. `together` is the number by which a deviation counts more, as errors of a path go on over its frames.
    [[nodiscard]] double width(double sigma, double together) const;

  private:
    /// The problem with its focal length held at `target`, px, to `breadth` of it, and its cost; nothing where it can't
    /// be held there.
    [[nodiscard]] std::optional<std::pair<BundleProblem, double>> held(const BundleProblem& from, double target,
                                                                       double breadth) const;
    /// The widest deviation that one side of the valley asks for, 0 where it is steeper throughout.
    [[nodiscard]] double widthOfSide(const std::pair<BundleProblem, double>& bottom, double sigma,
                                     double together) const;

    BundleProblem lowest_;
    BundleOptions options_;
    double cost_ = 0, variance_ = 1;
    int frames_ = 0;  ///< solved ones, of which the views are some
    bool usable_ = false;
};

}  // namespace va
