// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>

#include "solve/bundle/band_matrix.h"

namespace va {

/// The equations of a bundle's views and of the border that concerns all of them, points taken out:
///
///     | band    cross  | | views  |   | right       |
///     | crossᵀ  corner | | border | = | cornerRight |
struct BorderedBand {
    BandMatrix band;
    Eigen::MatrixXd cross;   ///< views × border; after factor() L⁻¹ of it
    Eigen::MatrixXd corner;  ///< after factor() with the views taken out
    Eigen::VectorXd right, cornerRight;

    /// Takes another one's numbers off, before factor(): what a part of the observations brought. Where the part's band
    /// is wider it must hold zeros.
    void subtract(const BorderedBand& part);
    /// False when the band is not positive definite; its content is lost then.
    bool factor();
    /// After factor(): the unknowns. False when the border can't be solved or a number is not finite.
    bool solve(Eigen::VectorXd& views, Eigen::VectorXd& border) const;
};

}  // namespace va
