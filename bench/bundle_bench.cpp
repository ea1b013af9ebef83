// SPDX-License-Identifier: GPL-3.0-or-later
#include <ceres/ceres.h>
#include <ceres/rotation.h>

#include <Eigen/Geometry>

#include "bal.h"
#include "table.h"

namespace va::bench {
namespace {

/// The bundle as a user of Ceres writes it: automatic derivatives, SPARSE_SCHUR.
struct PlainReprojection {
    double x, y;
    template <class T>
    bool operator()(const T* view, const T* lens, const T* point, T* residual) const {
        T c[3];
        ceres::AngleAxisRotatePoint(view, point, c);
        c[0] += view[3], c[1] += view[4], c[2] += view[5];
        const T u = c[0] / c[2], v = c[1] / c[2], r2 = u * u + v * v, m = T(1) + r2 * (lens[1] + r2 * lens[2]);
        residual[0] = lens[0] * m * u - T(x);
        residual[1] = lens[0] * m * v - T(y);
        return true;
    }
};

double plainCeres(const BundleProblem& p, double* finalCost) {
    std::vector<std::array<double, 6>> views(p.views.size());
    std::vector<std::array<double, 3>> lenses(p.lenses.size()), points(p.points.size());
    for (size_t i = 0; i < views.size(); ++i) {
        const Eigen::AngleAxisd turn(p.views[i].rotation);
        for (int k = 0; k < 3; ++k)
            views[i][size_t(k)] = turn.angle() * turn.axis()[k], views[i][size_t(k + 3)] = p.views[i].shift[k];
    }
    for (size_t i = 0; i < lenses.size(); ++i)
        lenses[i] = {p.lenses[i].focalPx, p.lenses[i].lens.value("k1"), p.lenses[i].lens.value("k2")};
    for (size_t i = 0; i < points.size(); ++i) points[i] = {p.points[i].x(), p.points[i].y(), p.points[i].z()};
    ceres::Problem problem;
    for (const auto& o : p.observations)
        problem.AddResidualBlock(new ceres::AutoDiffCostFunction<PlainReprojection, 2, 6, 3, 3>(
                                     new PlainReprojection{o.pixel.x(), o.pixel.y()}),
                                 nullptr, views[size_t(o.view)].data(),
                                 lenses[size_t(p.lensOfView[size_t(o.view)])].data(), points[size_t(o.point)].data());
    ceres::Solver::Options options;
    options.linear_solver_type = ceres::SPARSE_SCHUR;
    options.max_num_iterations = 60;
    options.function_tolerance = 1e-6;
    options.num_threads = 1;
    options.logging_type = ceres::SILENT;
    ceres::Solver::Summary summary;
    ceres::Solve(options, &problem, &summary);
    *finalCost = summary.final_cost;
    return summary.total_time_in_seconds;
}

}  // namespace

void measureBundle(Table& table) {
    const BundleProblem start = test::readBal(std::string(VA_TEST_DATA) + "/bal/problem-16-22106-pre.txt.bz2");
    BundleProblem ours = start;
    BundleOptions options;
    options.solved = {LensValue::focal, LensValue::k1, LensValue::k2};
    options.iterations = 60;
    options.stopWhenCostFallsBy = 1e-6;
    const BundleSummary s = bundle(ours, options);
    double theirCost = 0;
    const double theirs = plainCeres(start, &theirCost);
    char note[200];
    std::snprintf(
        note, sizeof note,
        "16-22106: ours %.2f s to %.5e, plain Ceres (automatic derivatives, SPARSE_SCHUR) %.2f s to %.5e, one core",
        s.seconds, s.finalCost, theirs, theirCost);
    table.push_back({"bundle_time_vs_ceres", s.seconds / theirs, "ratio", "<= 1", note});
}

}  // namespace va::bench
