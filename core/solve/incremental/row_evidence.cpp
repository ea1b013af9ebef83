// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/row_evidence.h"

#include <Eigen/QR>
#include <algorithm>
#include <optional>
#include <vector>

#include "solve/minimal/resect.h"
#include "solve/rolling.h"

namespace va {
namespace {

/// Of one frame, over the stated sigma: errors, what a step of the read-out time changes in them, and what its six
/// numbers do.
struct FrameErrors {
    Eigen::VectorXd error, byReadout;
    Eigen::MatrixXd byPose;
};

FrameErrors errorsOf(const Reconstruction& r, FrameIndex frame, const ViewRate& rate) {
    const Observations& s = r.observations();
    const View& view = *r.views()[frame];
    const Intrinsics lens = r.lensOf(frame);
    const double step = 1e-4;
    std::vector<View> stepped;
    for (int k = 0; k < 6; ++k) {
        ViewRate::Move move = ViewRate::Move::Zero();
        move(k) = step;
        stepped.push_back(moved(view, move.head<3>(), move.tail<3>()));
    }
    std::vector<Eigen::Matrix<double, 2, 8>> rows;
    for (const int i : s.byFrame[frame]) {
        const PathObservation& at = s.all[size_t(i)];
        const auto& point = r.points()[size_t(at.path)];
        if (!at.use || !point) continue;
        const auto here = project(view, lens, *point),
                   later = project(viewAtRow(view, rate, step, at.pixel.y(), s.height), lens, *point);
        if (!here || !later) continue;
        const Eigen::Matrix2d sqrtInformation = r.pathWeight(at.path) * at.sqrtInformation;
        Eigen::Matrix<double, 2, 8> row;
        row.col(0) = sqrtInformation * (*here - at.pixel);
        row.col(1) = sqrtInformation * (*later - *here) / step;
        bool seen = true;
        for (int k = 0; k < 6; ++k) {
            const auto there = project(stepped[size_t(k)], lens, *point);
            seen = seen && there;
            if (there) row.col(2 + k) = sqrtInformation * (*there - *here) / step;
        }
        if (seen) rows.push_back(row);
    }
    FrameErrors out;
    const auto n = 2 * std::ssize(rows);
    out.error.resize(n), out.byReadout.resize(n), out.byPose.resize(n, 6);
    for (std::ptrdiff_t i = 0; i < std::ssize(rows); ++i) {
        out.error.segment<2>(2 * i) = rows[size_t(i)].col(0);
        out.byReadout.segment<2>(2 * i) = rows[size_t(i)].col(1);
        out.byPose.middleRows<2>(2 * i) = rows[size_t(i)].rightCols<6>();
    }
    return out;
}

}  // namespace

RowEvidence rowEvidence(const Reconstruction& r) {
    std::vector<View> views;
    std::vector<double> times;
    std::vector<FrameIndex> frames;
    for (const FrameIndex f : r.observations().indices())
        if (r.hasView(f))
            views.push_back(*r.views()[f]), times.push_back(r.observations().number(f)), frames.push_back(f);
    const std::vector<ViewRate> rates = ratesOf(views, times);
    double both = 0, motion = 0, error = 0;
    const size_t every = std::max<size_t>(1, frames.size() / 40);
    for (size_t k = 0; k < frames.size(); k += every) {
        FrameErrors e = errorsOf(r, frames[k], rates[k]);
        if (e.error.size() < 16) continue;
        const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> pose(e.byPose);
        e.error -= e.byPose * pose.solve(e.error);
        e.byReadout -= e.byPose * pose.solve(e.byReadout);
        both += e.error.dot(e.byReadout);
        motion += e.byReadout.squaredNorm();
        error += e.error.squaredNorm();
    }
    if (!(motion > 0 && error > 0)) return {};
    return {-both / motion, both * both / (motion * error)};
}

}  // namespace va
