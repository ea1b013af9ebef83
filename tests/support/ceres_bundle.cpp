// SPDX-License-Identifier: GPL-3.0-or-later
#include "ceres_bundle.h"

#include <ceres/ceres.h>
#include <glog/logging.h>

#include <Eigen/Geometry>
#include <array>
#include <cmath>
#include <cstdio>

#include "base/cross_matrix.h"
#include "solve/minimal/resect.h"

namespace va::test {
namespace {

constexpr int lensBlockSize = 3 + mostLensValues;
using LensBlock = std::array<double, lensBlockSize>;  // in the order of LensValue
using ViewBlock = std::array<double, 6>;              // rotation vector, shift

LensBlock blockOf(const Intrinsics& i) {
    LensBlock b{i.focalPx, i.principalPoint.x(), i.principalPoint.y()};
    std::copy_n(i.lens.values(), i.lens.count(), b.begin() + 3);
    return b;
}

void readBlock(const LensBlock& b, Intrinsics& i) {
    i.focalPx = b[0];
    i.principalPoint = {b[1], b[2]};
    i.lens.setValues(b.data() + 3);
}

/// Whitened reprojection error of one observation over (view, lens, point). Of the lens block the first L numbers are
/// looked at; the rest are 0.
template <int L>
class Reprojection final : public ceres::SizedCostFunction<2, 6, L, 3> {
  public:
    Reprojection(const BundleProblem::Observation& o, const Intrinsics& lens)
        : pixel_(o.pixel), sqrtInformation_(o.sqrtInformation), aspect_(lens.pixelAspect), kind_(lens.lens.kind()) {}

    bool Evaluate(double const* const* parameters, double* residuals, double** jacobians) const override {
        const Eigen::Map<const Eigen::Vector3d> rotation(parameters[0]), shift(parameters[0] + 3), point(parameters[2]);
        const double* lens = parameters[1];
        const double angle = rotation.norm();
        const Eigen::Matrix3d w = crossMatrix(rotation);
        // Rodrigues' formula, and the right Jacobian of the rotation vector (series near zero).
        const bool tiny = angle < 1e-6;
        const double a = tiny ? 1 - angle * angle / 6 : std::sin(angle) / angle;
        const double b = tiny ? 0.5 - angle * angle / 24 : (1 - std::cos(angle)) / (angle * angle);
        const double c = tiny ? 1.0 / 6 : (angle - std::sin(angle)) / (angle * angle * angle);
        const Eigen::Matrix3d ww = w * w;
        const Eigen::Matrix3d r = Eigen::Matrix3d::Identity() + a * w + b * ww;
        const Eigen::Vector3d camera = r * point + shift;
        const double z = std::fabs(camera.z()) > 1e-9 ? camera.z() : 1e-9;
        const Eigen::Vector2d n(camera.x() / z, camera.y() / z);
        double values[mostLensValues] = {};
        std::copy_n(lens + 3, L - 3, values);
        Eigen::Matrix2d slope;
        LensValueJacobian byValues;
        const bool byLens = jacobians && jacobians[1];
        const Eigen::Vector2d d =
            distortPoint(kind_, values, n, jacobians ? &slope : nullptr, byLens ? &byValues : nullptr);
        const Eigen::Vector2d focal(lens[0] / aspect_, lens[0]);
        const Eigen::Vector2d error = focal.cwiseProduct(d) + Eigen::Vector2d(lens[1], lens[2]) - pixel_;
        Eigen::Map<Eigen::Vector2d>(residuals, 2) = sqrtInformation_ * error;
        if (!jacobians) return true;
        Eigen::Matrix<double, 2, 3> normalised;
        normalised << 1 / z, 0, -n.x() / z, 0, 1 / z, -n.y() / z;
        const Eigen::Matrix<double, 2, 3> byCamera = sqrtInformation_ * focal.asDiagonal() * slope * normalised;
        if (jacobians[0]) {
            Eigen::Map<Eigen::Matrix<double, 2, 6, Eigen::RowMajor>> j(jacobians[0]);
            const Eigen::Matrix3d right = Eigen::Matrix3d::Identity() - b * w + c * ww;
            j.leftCols<3>() = -byCamera * r * crossMatrix(point) * right;
            j.rightCols<3>() = byCamera;
        }
        if (jacobians[1]) {
            Eigen::Map<Eigen::Matrix<double, 2, L, Eigen::RowMajor>> j(jacobians[1]);
            Eigen::Matrix<double, 2, L> raw;
            raw.col(0) = Eigen::Vector2d(d.x() / aspect_, d.y());
            raw.col(1) = Eigen::Vector2d(1, 0);
            raw.col(2) = Eigen::Vector2d(0, 1);
            raw.template rightCols<L - 3>() = focal.asDiagonal() * byValues.leftCols<L - 3>();
            j = sqrtInformation_ * raw;
        }
        if (jacobians[2]) {
            Eigen::Map<Eigen::Matrix<double, 2, 3, Eigen::RowMajor>> j(jacobians[2]);
            j = byCamera * r;
        }
        return true;
    }

  private:
    Eigen::Vector2d pixel_;
    Eigen::Matrix2d sqrtInformation_;
    double aspect_;
    LensKind kind_;
};

/// How many numbers of a lens block a bundle has to look at: smaller blocks are quicker.
int numbersLookedAt(const Intrinsics& lens, const std::vector<LensValue>& solved) {
    int last = 3;
    for (int i = 0; i < lens.lens.count(); ++i)
        if (lens.lens.value(i) != 0 || std::find(solved.begin(), solved.end(), lensValueAt(i)) != solved.end())
            last = std::max(last, 4 + i);
    for (const int size : {5, 8, 11})
        if (last <= size) return size;
    return lensBlockSize;
}

ceres::CostFunction* reprojection(const BundleProblem::Observation& o, const Intrinsics& lens, int size) {
    switch (size) {
        case 5: return new Reprojection<5>(o, lens);
        case 8: return new Reprojection<8>(o, lens);
        case 11: return new Reprojection<11>(o, lens);
        default: return new Reprojection<lensBlockSize>(o, lens);
    }
}

/// (value − mean) / sigma on one number of a lens block.
class LensPrior final : public ceres::CostFunction {
  public:
    LensPrior(int index, double mean, double sigma, int size) : index_(index), mean_(mean), sigma_(sigma) {
        set_num_residuals(1);
        mutable_parameter_block_sizes()->push_back(size);
    }
    bool Evaluate(double const* const* parameters, double* residuals, double** jacobians) const override {
        residuals[0] = (parameters[0][index_] - mean_) / sigma_;
        if (jacobians && jacobians[0]) {
            std::fill_n(jacobians[0], parameter_block_sizes()[0], 0.0);
            jacobians[0][index_] = 1 / sigma_;
        }
        return true;
    }

  private:
    int index_;
    double mean_, sigma_;
};

class CancelCallback final : public ceres::IterationCallback {
  public:
    explicit CancelCallback(const std::function<bool()>& asked) : asked_(asked) {}
    ceres::CallbackReturnType operator()(const ceres::IterationSummary&) override {
        return asked_ && asked_() ? ceres::SOLVER_TERMINATE_SUCCESSFULLY : ceres::SOLVER_CONTINUE;
    }

  private:
    const std::function<bool()>& asked_;
};

}  // namespace

BundleSummary ceresBundle(BundleProblem& problem, const BundleOptions& options, int threads) {
    static const bool quiet = [] { return (FLAGS_minloglevel = google::GLOG_FATAL) != 0; }();
    (void)quiet;
    BundleSummary summary;
    if (problem.observations.empty()) return summary;
    std::vector<ViewBlock> views(problem.views.size());
    for (size_t i = 0; i < views.size(); ++i) {
        const Eigen::AngleAxisd rotation(problem.views[i].rotation);
        Eigen::Map<Eigen::Vector3d>(views[i].data()) = rotation.angle() * rotation.axis();
        Eigen::Map<Eigen::Vector3d>(views[i].data() + 3) = problem.views[i].translation;
    }
    std::vector<LensBlock> lenses;
    for (const Intrinsics& i : problem.lenses) lenses.push_back(blockOf(i));
    std::vector<Eigen::Vector3d> points = problem.points;
    int blockSize = 5;
    for (const Intrinsics& i : problem.lenses) blockSize = std::max(blockSize, numbersLookedAt(i, options.solved));

    ceres::Problem::Options ownership;
    ownership.loss_function_ownership = ceres::DO_NOT_TAKE_OWNERSHIP;
    ceres::Problem ceresProblem(ownership);
    std::unique_ptr<ceres::LossFunction> loss;
    if (options.lossScale > 0) loss = std::make_unique<ceres::CauchyLoss>(options.lossScale);
    auto* ordering = new ceres::ParameterBlockOrdering;
    std::vector<char> usedView(views.size(), 0), usedPoint(points.size(), 0), usedLens(lenses.size(), 0);
    for (const auto& o : problem.observations) {
        const size_t view = size_t(o.view), lens = size_t(problem.lensOfView[view]), point = size_t(o.point);
        ceresProblem.AddResidualBlock(reprojection(o, problem.lenses[lens], blockSize), loss.get(), views[view].data(),
                                      lenses[lens].data(), points[point].data());
        usedView[view] = usedLens[lens] = usedPoint[point] = 1;
    }
    std::vector<int> heldLens;
    for (int k = 0; k < blockSize; ++k)
        if (std::find(options.solved.begin(), options.solved.end(), LensValue(k)) == options.solved.end())
            heldLens.push_back(k);
    for (size_t i = 0; i < lenses.size(); ++i) {
        if (!usedLens[i]) continue;
        // A group of their own: within a group Ceres orders by address, and where the lenses lie in memory is chance.
        ordering->AddElementToGroup(lenses[i].data(), 2);
        if (int(heldLens.size()) == blockSize) ceresProblem.SetParameterBlockConstant(lenses[i].data());
        else if (!heldLens.empty())
            ceresProblem.SetManifold(lenses[i].data(), new ceres::SubsetManifold(blockSize, heldLens));
    }
    for (const auto& p : options.priors) {
        const size_t lens = size_t(p.lens);
        if (lens >= lenses.size() || !usedLens[lens] || int(p.value) >= blockSize) continue;
        const double sigma = p.value == LensValue::focal ? p.sigma * p.mean : p.sigma;
        ceresProblem.AddResidualBlock(new LensPrior(int(p.value), p.mean, sigma, blockSize), nullptr,
                                      lenses[lens].data());
    }
    for (size_t i = 0; i < views.size(); ++i) {
        if (!usedView[i]) continue;
        ordering->AddElementToGroup(views[i].data(), 1);
        if (i < options.fixedViews.size() && options.fixedViews[i])
            ceresProblem.SetParameterBlockConstant(views[i].data());
        else if (options.rotationOnly)
            ceresProblem.SetManifold(views[i].data(), new ceres::SubsetManifold(6, {3, 4, 5}));
    }
    for (size_t i = 0; i < points.size(); ++i) {
        if (!usedPoint[i]) continue;
        ordering->AddElementToGroup(points[i].data(), 0);
        if (options.fixedPoints) ceresProblem.SetParameterBlockConstant(points[i].data());
        else if (options.rotationOnly) ceresProblem.SetManifold(points[i].data(), new ceres::SphereManifold<3>());
    }

    ceres::Solver::Options solver;
    solver.linear_solver_type = ceres::SPARSE_SCHUR;
    solver.linear_solver_ordering.reset(ordering);
    solver.max_num_iterations = options.iterations;
    solver.function_tolerance = options.stopWhenCostFallsBy;
    solver.num_threads = threads;
    solver.logging_type = ceres::SILENT;
    CancelCallback cancel(options.cancelled);
    solver.callbacks.push_back(&cancel);
    ceres::Solver::Summary report;
    ceres::Solve(solver, &ceresProblem, &report);
    summary.initialCost = report.initial_cost;
    summary.finalCost = report.final_cost;
    summary.iterations = int(report.iterations.size()) - 1;
    summary.seconds = report.total_time_in_seconds;
    summary.usable = report.IsSolutionUsable() && std::isfinite(report.final_cost);
    if (!summary.usable) return summary;
    for (size_t i = 0; i < views.size(); ++i) {
        const Eigen::Map<const Eigen::Vector3d> rotation(views[i].data());
        problem.views[i] = moved({Eigen::Matrix3d::Identity(), Eigen::Vector3d::Zero()}, rotation,
                                 Eigen::Map<const Eigen::Vector3d>(views[i].data() + 3));
    }
    for (size_t i = 0; i < lenses.size(); ++i) readBlock(lenses[i], problem.lenses[i]);
    problem.points = points;
    return summary;
}

}  // namespace va::test
