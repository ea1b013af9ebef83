// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>

namespace va {

/// m = u · diag(s) · vᵀ with s falling; u and v are orthogonal, either may be a reflection.
struct Svd3 {
    Eigen::Matrix3d u, v;
    Eigen::Vector3d s;
};

/// Singular value decomposition of a 3 × 3 matrix by Jacobi rotations (Eigen::JacobiSVD). Compiled once: the template
/// takes seconds in every file that has it.
Svd3 svd3(const Eigen::Matrix3d& m);

/// The rotation R that makes tr(Rᵀ m) largest: the orthogonal Procrustes problem (Kabsch, Acta Cryst. A 1976, with the
/// sign of Umeyama, PAMI 1991). For a rank below 2 any of the equally good ones.
Eigen::Matrix3d nearestRotation(const Eigen::Matrix3d& m);

}  // namespace va
