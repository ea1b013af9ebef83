// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/bundle/bordered_band.h"

#include <Eigen/Cholesky>

namespace va {

void BorderedBand::subtract(const BorderedBand& part) {
    band.subtract(part.band);
    cross -= part.cross;
    corner -= part.corner;
    right -= part.right;
    cornerRight -= part.cornerRight;
}

bool BorderedBand::factor() {
    if (!band.factor()) return false;
    if (corner.rows() == 0) return true;
    band.solveLower(cross);
    corner.noalias() -= cross.transpose() * cross;
    return true;
}

bool BorderedBand::solve(Eigen::VectorXd& views, Eigen::VectorXd& border) const {
    Eigen::MatrixXd x = right;
    band.solveLower(x);
    border.resize(corner.rows());
    if (corner.rows() > 0) {
        const Eigen::LDLT<Eigen::MatrixXd> ldlt(corner);
        if (ldlt.info() != Eigen::Success) return false;
        border = ldlt.solve(cornerRight - cross.transpose() * x);
        x -= cross * border;
    }
    band.solveUpper(x);
    views = x;
    return views.allFinite() && border.allFinite();
}

}  // namespace va
