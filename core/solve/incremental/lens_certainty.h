// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

#include "solve/incremental/path_groups.h"
#include "solve/incremental/reconstruction.h"

namespace va {

/// Covariance of the lens's numbers, as far as the observations in use tell them; nothing where there are too few.
std::optional<Eigen::MatrixXd> lensCovariance(const Reconstruction& r, const std::vector<LensValue>& values);

/// Variance of the solved lens values at the minimum of a bundle, by how far paths disagree: `groups` of them are left
/// out in turn (the jackknife, Quenouille 1956 and Tukey 1958, one Newton step each). Errors that go on over a path's
/// frames count in full, and so do those that the paths of a group share. Of a zoom, LensValue::focal is the middle
/// view's. Nothing for less than six groups, or where a group's step fails.
std::optional<Eigen::VectorXd> varianceByPaths(const BundleProblem& problem, const BundleOptions& options,
                                               const PathGroups& groups);

/// Which paths are taken to err alike: those within two patches of each other, or those of a whole region, an eighth
/// of the scene each.
enum class ErrAlike { neighbours, regions };

/// How much the lens's numbers deviate, each over what `covariance` says: groups of the paths are left out in turn
/// (varianceByPaths), so that errors that go on over a path's frames, and paths that are much worse than the median,
/// count in full. By neighbours good to a fifth, by regions to a quarter; ones where there are too few paths to tell.
Eigen::VectorXd disagreementOfPaths(const Reconstruction& r, const std::vector<LensValue>& values,
                                    const Eigen::MatrixXd& covariance, ErrAlike alike = ErrAlike::neighbours);

/// Deviation of the solved read-out time, frames; nothing where the observations do not tell it.
std::optional<double> readoutSigma(const Reconstruction& r);

}  // namespace va
