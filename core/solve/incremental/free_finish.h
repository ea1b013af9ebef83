// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <optional>

#include "base/progress.h"
#include "solve/incremental/focal_valley.h"
#include "solve/incremental/growth.h"
#include "solve/incremental/reconstruction.h"
#include "solve/incremental/solve_question.h"
#include "solve/solve_result.h"

namespace va {

/// What comes after the frames of a free move are connected; each step refines the reconstruction and writes what is to
/// be told of it into the result. Throws Cancelled between rounds.
class FreeFinish {
  public:
    FreeFinish(SolveQuestion& question, Growth& growth, Progress& progress, SolveResult& result);

    /// Rolling shutter: solved last, when the camera's own motion is known. Where nothing was
    /// said of rows but the errors speak for it, the time is looked for, and taken where that explains notably more.
    void readRows(Reconstruction& r);
    /// Says how sure the lens's numbers are. A distortion that the frames do not tell is taken as given, or as none,
    /// and the rest settles around it: a solved one would be fitted to noise, and distort the camera's path with it.
    void weighDistortion(Reconstruction& r);
    /// Seen from far away, a scene and its mirror image in depth look nearly alike (Koenderink & van Doorn 1991): where
    /// there is little depth over the distance the other one is tried, and taken where it fits better.
    void lookAtMirror(Reconstruction& r);
    /// Check points: the world that they ask for is laid over the solve, and all is refined with them.
    void useMeasures(Reconstruction& r);

    /// Of the paths, a factor on top of what their errors say by themselves; 1 before weighDistortion().
    [[nodiscard]] double disagreement() const { return disagreement_; }

  private:
    void settleRows(Reconstruction& r) const;
    /// With little parallax a search stops before the bottom: the rest of the way along the focal length.
    /// False where it was there already; `valley` is then the one that was looked at.
    bool followValley(Reconstruction& r, const std::vector<LensValue>& values, const Eigen::MatrixXd& covariance,
                      std::optional<FocalValley>& valley);
    /// `valley` is that of the reconstruction as it is, or empty.
    void widenByValley(const Reconstruction& r, const std::vector<LensValue>& values, Eigen::MatrixXd& covariance,
                       std::optional<FocalValley>& valley) const;
    [[nodiscard]] bool isToldFromHeld(const Reconstruction& r, const std::vector<LensValue>& values,
                                      const Eigen::MatrixXd& covariance) const;
    [[nodiscard]] bool isToldByFit(const Reconstruction& r) const;
    [[nodiscard]] LensModel heldDistortion(const Reconstruction& r) const;
    [[nodiscard]] double focalVarianceByDistortion(const Reconstruction& r) const;
    [[nodiscard]] static double focalSigma(const Reconstruction& r, const std::vector<LensValue>& values,
                                           const Eigen::MatrixXd& covariance);
    void lookForRows(Reconstruction& r) const;

    SolveQuestion& q_;
    Growth& growth_;
    Progress& progress_;
    SolveResult& result_;
    std::function<bool()> cancelled_;
    double disagreement_ = 1;
};

}  // namespace va
