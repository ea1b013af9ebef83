// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/bundle/point_tie.h"

#include <Eigen/Eigenvalues>
#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

namespace va {
namespace {

Eigen::VectorXd distancesFromPlane(const std::vector<Eigen::Vector3d>& p) {
    Eigen::VectorXd out = Eigen::VectorXd::Zero(Eigen::Index(p.size()));
    if (p.size() < 4) return out;
    Eigen::Vector3d middle = Eigen::Vector3d::Zero();
    for (const auto& x : p) middle += x / double(p.size());
    Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
    for (const auto& x : p) spread += (x - middle) * (x - middle).transpose();
    const Eigen::Vector3d normal = Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d>(spread).eigenvectors().col(0);
    for (size_t i = 0; i < p.size(); ++i) out[Eigen::Index(i)] = normal.dot(p[i] - middle);
    // Which way an eigenvector points is chance.
    Eigen::Index largest = 0;
    normal.cwiseAbs().maxCoeff(&largest);
    return normal[largest] < 0 ? Eigen::VectorXd(-out) : out;
}

Eigen::VectorXd residualsOf(const PointTie& tie, const std::vector<Eigen::Vector3d>& p) {
    using Kind = PointTie::Kind;
    switch (tie.kind) {
        case Kind::position:
            if (p.size() == 1) return (p[0] - tie.target) / tie.sigma;
            break;
        case Kind::distance:
            if (p.size() == 2) return Eigen::VectorXd::Constant(1, ((p[0] - p[1]).norm() - tie.length) / tie.sigma);
            break;
        case Kind::level:
            if (p.size() == 1) return Eigen::VectorXd::Constant(1, tie.normal.dot(p[0] - tie.target) / tie.sigma);
            break;
        case Kind::flat: return distancesFromPlane(p) / tie.sigma;
        case Kind::rightAngle: {
            if (p.size() != 3) break;
            const Eigen::Vector3d a = p[0] - p[1], b = p[2] - p[1];
            const double lengths = a.norm() * b.norm();
            if (!(lengths > 0)) break;
            return Eigen::VectorXd::Constant(1, std::asin(std::clamp(a.dot(b) / lengths, -1.0, 1.0)) / tie.sigma);
        }
    }
    return Eigen::VectorXd::Zero(1);
}

std::vector<Eigen::Vector3d> pointsOf(const PointTie& tie, const std::vector<Eigen::Vector3d>& points) {
    std::vector<Eigen::Vector3d> out;
    for (const int i : tie.points) out.push_back(points[size_t(i)]);
    return out;
}

}  // namespace

Eigen::VectorXd tieResiduals(const PointTie& tie, const std::vector<Eigen::Vector3d>& points) {
    return residualsOf(tie, pointsOf(tie, points));
}

Eigen::MatrixXd tieJacobian(const PointTie& tie, const std::vector<Eigen::Vector3d>& points) {
    std::vector<Eigen::Vector3d> p = pointsOf(tie, points);
    double extent = tie.length;
    for (const auto& x : p) extent = std::max({extent, (x - p[0]).norm(), 1e-3 * x.norm()});
    const double h = 1e-4 * std::max(extent, 1e-6);
    Eigen::MatrixXd out(residualsOf(tie, p).size(), Eigen::Index(3 * p.size()));
    for (size_t i = 0; i < p.size(); ++i)
        for (int axis = 0; axis < 3; ++axis) {
            const double at = p[i][axis];
            p[i][axis] = at + h;
            const Eigen::VectorXd after = residualsOf(tie, p);
            p[i][axis] = at - h;
            out.col(Eigen::Index(3 * i) + axis) = (after - residualsOf(tie, p)) / (2 * h);
            p[i][axis] = at;
        }
    return out;
}

}  // namespace va
