// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/sureness.h"

#include <Eigen/Dense>
#include <cmath>
#include <vector>

namespace va {

std::optional<SightingSlopes> slopesOf(const View& view, const Intrinsics& lens, const Eigen::Vector3d& point,
                                       std::span<const LensValue> values) {
    const Eigen::Vector3d c = view.toCamera(point);
    if (!(c.z() > 1e-9)) return std::nullopt;
    const Eigen::Vector2d s = c.head<2>() / c.z();
    Eigen::Matrix2d slope;
    const Eigen::Vector2d bent = bend(lens.lens.kind(), lens.lens.values(), s, &slope);
    Eigen::Matrix<double, 2, 3> divide;
    divide << 1 / c.z(), 0, -s.x() / c.z(), 0, 1 / c.z(), -s.y() / c.z();
    const Eigen::Vector2d focal(lens.focalPx / lens.pixelAspect, lens.focalPx);
    const Eigen::Matrix<double, 2, 3> byCamera = focal.asDiagonal() * slope * divide;
    // A small turn w moves the camera point by w × c (what the shift adds to it is a change of the shift).
    Eigen::Matrix3d turn;
    turn << 0, c.z(), -c.y(), -c.z(), 0, c.x(), c.y(), -c.x(), 0;
    SightingSlopes out;
    out.byView << byCamera * turn, byCamera;
    out.byPoint = byCamera * view.rotation;
    out.byLens = pixelByLens(lens, s, values);
    out.pixel = lens.pixelFromBent(bent);
    return out;
}

std::optional<Eigen::MatrixXd> lensCovariance(const BundleProblem& problem, std::span<const LensValue> values,
                                              bool fixedPoints, double least) {
    const auto n = Eigen::Index(values.size());
    const auto views = Eigen::Index(problem.views.size());
    const Intrinsics& lens = problem.lenses.front();
    std::vector<std::vector<const BundleProblem::Observation*>> ofPoint(problem.points.size());
    std::vector<char> usedView(problem.views.size(), 0);
    for (const auto& o : problem.observations) {
        ofPoint[size_t(o.point)].push_back(&o);
        usedView[size_t(o.view)] = 1;
    }
    // Columns: six a view, then the lens.
    const Eigen::Index size = 6 * views + n;
    Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(size, size);
    double squares = 0, unknowns = double(n);
    long count = 0;
    for (const char u : usedView) unknowns += u ? 6 : 0;
    for (size_t p = 0; p < ofPoint.size(); ++p) {
        // Seen once, a place fits whatever the camera does.
        if (ofPoint[p].size() < (fixedPoints ? 1u : 2u)) continue;
        if (!fixedPoints) unknowns += 3;
        Eigen::Matrix3d point = Eigen::Matrix3d::Zero();
        std::vector<Eigen::Matrix<double, 6, 3>> cross;
        std::vector<Eigen::Index> at;
        Eigen::MatrixXd lensCross = Eigen::MatrixXd::Zero(n, 3);
        for (const auto* o : ofPoint[p]) {
            const auto s = slopesOf(problem.views[size_t(o->view)], lens, problem.points[p], values);
            if (!s) continue;
            const Eigen::Matrix<double, 2, 6> a = o->whiten * s->byView;
            const Eigen::Matrix<double, 2, 3> b = o->whiten * s->byPoint;
            const Eigen::Matrix2Xd l = o->whiten * s->byLens;
            const Eigen::Index v = 6 * Eigen::Index(o->view);
            normal.block<6, 6>(v, v) += a.transpose() * a;
            normal.block(v, 6 * views, 6, n) += a.transpose() * l;
            normal.bottomRightCorner(n, n) += l.transpose() * l;
            squares += (o->whiten * (s->pixel - o->pixel)).squaredNorm();
            ++count;
            if (fixedPoints) continue;
            point += b.transpose() * b;
            cross.emplace_back(a.transpose() * b);
            at.push_back(v);
            lensCross += l.transpose() * b;
        }
        if (fixedPoints) continue;
        point.diagonal().array() += 1e-12 * point.trace();
        const Eigen::Matrix3d inverse = point.inverse();
        for (size_t i = 0; i < cross.size(); ++i) {
            const Eigen::Matrix<double, 6, 3> half = cross[i] * inverse;
            // Only one triangle of views is needed; a path comes in the order of its frames.
            for (size_t j = i; j < cross.size(); ++j) normal.block<6, 6>(at[i], at[j]) -= half * cross[j].transpose();
            normal.block(at[i], 6 * views, 6, n) -= half * lensCross.transpose();
        }
        normal.bottomRightCorner(n, n) -= lensCross * inverse * lensCross.transpose();
    }
    if (double(2 * count) <= unknowns) return std::nullopt;
    // The world's place, turn and scale are free: one view is held, and all others by a hair, which the rest of the
    // matrix does not notice.
    Eigen::MatrixXd poses = normal.topLeftCorner(6 * views, 6 * views).selfadjointView<Eigen::Upper>();
    const Eigen::VectorXd diagonal = poses.diagonal();
    for (Eigen::Index i = 0; i < 6 * views; ++i) poses(i, i) += 1e-9 * diagonal[i] + 1e-12;
    if (!fixedPoints)
        for (Eigen::Index v = 0; v < views; ++v)
            if (usedView[size_t(v)]) {
                for (Eigen::Index i = 6 * v; i < 6 * v + 6; ++i) poses(i, i) += diagonal[i];
                break;
            }
    const Eigen::MatrixXd cross = normal.topRightCorner(6 * views, n);
    Eigen::MatrixXd reduced = normal.bottomRightCorner(n, n) - cross.transpose() * poses.ldlt().solve(cross);
    // A direction that is left free keeps a variance of 1e9 instead of a division by nothing.
    const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> axes(0.5 * (reduced + reduced.transpose()));
    const double variance = std::max(least, squares / (double(2 * count) - unknowns));
    const Eigen::VectorXd spread =
        axes.eigenvalues().unaryExpr([&](double e) { return variance / std::max(e, variance * 1e-9); });
    return axes.eigenvectors() * spread.asDiagonal() * axes.eigenvectors().transpose();
}

}  // namespace va
