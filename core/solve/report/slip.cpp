// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/report/slip.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <set>

#include "base/cross_matrix.h"
#include "base/parallel.h"
#include "solve/bundle/normal_equations.h"
#include "solve/incremental/observations.h"

namespace va {
namespace {

/// Views that a field holds at most: their joint covariance is dense.
constexpr int mostViews = 60;

struct PositionJacobian {
    Eigen::Matrix<double, 2, Eigen::Dynamic> byCamera, byLens;
    Eigen::Matrix<double, 2, 3> byPlace;
};

/// How the pixel of a position follows view, lens and position; nothing where the frame does not see it.
std::optional<PositionJacobian> jacobianAt(const View& view, const Intrinsics& lens,
                                           const std::vector<LensValue>& solved, int viewSize, int width, int height,
                                           const Eigen::Vector3d& place) {
    const auto pixel = project(view, lens, place);
    if (!pixel || pixel->x() < -0.5 || pixel->y() < -0.5 || pixel->x() > width - 0.5 || pixel->y() > height - 0.5)
        return std::nullopt;
    const Eigen::Vector3d c = view.toCamera(place);
    const Eigen::Vector2d s = c.head<2>() / c.z();
    Eigen::Matrix2d slope;
    const Eigen::Vector2d distorted = distortPoint(lens.lens.kind(), lens.lens.values(), s, &slope);
    const Eigen::Vector2d perUnit(lens.focalPx / lens.pixelAspect, lens.focalPx);
    Eigen::Matrix<double, 2, 3> divide;
    divide << 1 / c.z(), 0, -s.x() / c.z(), 0, 1 / c.z(), -s.y() / c.z();
    const Eigen::Matrix<double, 2, 3> byCamera = perUnit.asDiagonal() * slope * divide;
    PositionJacobian out;
    out.byCamera.resize(2, viewSize);
    out.byCamera.leftCols<3>() = -byCamera * crossMatrix(c);
    out.byCamera.middleCols<3>(3) = byCamera;
    if (viewSize > 6) out.byCamera.col(6) = perUnit.cwiseProduct(distorted);
    out.byPlace = byCamera * view.rotation;
    out.byLens = pixelByLens(lens, s, solved);
    return out;
}

}  // namespace

SlipField::SlipField(const BundleProblem& problem, const std::vector<int>& frames, const std::vector<LensValue>& solved,
                     int width, int height, double worse)
    : width_(width), height_(height) {
    BundleOptions options;
    options.solved = solved;
    options.solveZoom = !problem.focalOfView.empty();
    options.fixedViews.assign(problem.views.size(), 0);
    if (problem.views.size() < 2) return;
    options.fixedViews[0] = 1;
    NormalEquations equations(problem, options);
    equations.linearise(problem);
    const long spare = equations.residualCount() - equations.unknownCount();
    if (spare <= 0 || !equations.factorForCovariance()) return;
    std::vector<int> chosen;
    const int n = int(problem.views.size()), count = std::min(n, mostViews);
    for (int i = 0; i < count; ++i)
        chosen.push_back(count > 1 ? int(std::lround(double(i) * (n - 1) / (count - 1))) : 0);
    const Eigen::MatrixXd joint = equations.covariance(chosen);
    if (!joint.allFinite()) return;
    const double variance = std::max(1e-12, equations.sumSquares() / double(spare)) * worse * worse;
    zoom_ = options.solveZoom;
    viewSize_ = equations.viewSize();
    for (const LensValue v : solved)
        if (!(zoom_ && v == LensValue::focal)) solved_.push_back(v);
    // The scale of the world is free, but for a hair. It shows in no picture: its direction is taken out.
    Eigen::VectorXd scale = Eigen::VectorXd::Zero(joint.rows());
    const Eigen::Vector3d first = problem.views[0].centre();
    for (size_t i = 0; i < chosen.size(); ++i) {
        const View& v = problem.views[size_t(chosen[i])];
        scale.segment<3>(Eigen::Index(i) * equations.viewSize() + 3) = -v.rotation * (v.centre() - first);
    }
    scale.normalize();
    Eigen::MatrixXd sure = joint - scale * (scale.transpose() * joint);
    sure -= (sure * scale) * scale.transpose();
    const Eigen::LDLT<Eigen::MatrixXd> factors(0.5 * (sure + sure.transpose()));
    root_ = factors.matrixL();
    root_ = (factors.transpositionsP().transpose() * root_).eval();
    root_ *= (factors.vectorD().cwiseMax(0.0) * variance).cwiseSqrt().asDiagonal();
    for (const int v : chosen) {
        frames_.push_back(frames[size_t(v)]);
        views_.push_back(problem.views[size_t(v)]);
        lenses_.push_back(problem.intrinsics(v));
    }
    const auto focal = std::find(solved_.begin(), solved_.end(), LensValue::focal);
    if (zoom_) focalSigma_ = root_.row(Eigen::Index(count / 2) * viewSize_ + 6).norm();
    else if (focal != solved_.end())
        focalSigma_ =
            root_.row(Eigen::Index(count) * viewSize_ + (focal - solved_.begin())).norm() / lenses_[0].focalPx;
}

double SlipField::slipPx(const Eigen::Vector3d& place, FrameRange range) const {
    const Eigen::Index views = Eigen::Index(frames_.size()), lens = views * viewSize_;
    Eigen::MatrixXd carried(2 * views, root_.cols());
    Eigen::MatrixXd byPlace(2 * views, 3);
    Eigen::Index rows = 0;
    for (Eigen::Index i = 0; i < views; ++i) {
        if (!range.contains(frames_[size_t(i)])) continue;
        const auto s = jacobianAt(views_[size_t(i)], lenses_[size_t(i)], solved_, viewSize_, width_, height_, place);
        if (!s) continue;
        carried.middleRows<2>(rows) = s->byCamera * root_.middleRows(i * viewSize_, viewSize_);
        if (!solved_.empty())
            carried.middleRows<2>(rows) += s->byLens * root_.middleRows(lens, Eigen::Index(solved_.size()));
        byPlace.middleRows<2>(rows) = s->byPlace;
        rows += 2;
    }
    if (rows < 4) return -1;
    const Eigen::HouseholderQR<Eigen::MatrixXd> qr(byPlace.topRows(rows));
    const Eigen::MatrixXd taken = qr.householderQ() * Eigen::MatrixXd::Identity(rows, 3);
    const Eigen::MatrixXd left = carried.topRows(rows) - taken * (taken.transpose() * carried.topRows(rows));
    const double slip = std::sqrt(left.squaredNorm() / (double(rows) / 2));
    return std::isfinite(slip) ? slip : -1;
}

std::vector<std::pair<int, double>> SlipField::pathSigma() const {
    const Eigen::Index n = Eigen::Index(frames_.size());
    if (n < 3) return {};
    // Centre c = −Rᵀ t. With R' = exp(w) R and t' = exp(w) t + s only s moves it: by −Rᵀ s.
    Eigen::MatrixXd places(3 * n, root_.cols()), free(3 * n, 7);
    Eigen::Vector3d middle = Eigen::Vector3d::Zero();
    for (const View& v : views_) middle += v.centre() / double(n);
    for (Eigen::Index i = 0; i < n; ++i) {
        const View& v = views_[size_t(i)];
        places.middleRows<3>(3 * i) = -v.rotation.transpose() * root_.middleRows(i * viewSize_ + 3, 3);
        const Eigen::Vector3d at = v.centre() - middle;
        free.block<3, 3>(3 * i, 0).setIdentity();
        free.block<3, 3>(3 * i, 3) = -crossMatrix(at);
        free.block<3, 1>(3 * i, 6) = at;
    }
    // An undistorted path turns about itself without moving: a decomposition that notices.
    const Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd> fit(free);
    places -= free * fit.solve(places);
    std::vector<std::pair<int, double>> out;
    for (Eigen::Index i = 0; i < n; ++i) out.emplace_back(frames_[size_t(i)], places.middleRows<3>(3 * i).norm());
    return out;
}

namespace {

/// Root mean square over the places that can be asked; negative where none can.
double rmsSlip(const SlipField& field, const std::vector<Eigen::Vector3d>& places, FrameRange range) {
    std::vector<double> slips(places.size());
    parallelRanges(int(places.size()), 4, [&](int begin, int end) {
        for (auto i = size_t(begin); i < size_t(end); ++i) slips[i] = field.slipPx(places[i], range);
    });
    double sum = 0;
    int count = 0;
    for (const double slip : slips)
        if (slip >= 0) sum += slip * slip, ++count;
    return count > 0 ? std::sqrt(sum / count) : -1;
}

}  // namespace

double slipOverPoints(const SlipField& field, const SolveResult& solve, FrameRange range) {
    std::vector<Eigen::Vector3d> places;
    for (size_t i = 0; !field.empty() && i < solve.points.size(); i += 5) places.push_back(solve.points[i].position);
    return rmsSlip(field, places, range);
}

double slipNearCamera(const SlipField& field, const SolveResult& solve, FrameRange range) {
    constexpr size_t frames = 8;
    std::vector<int> asked;
    for (const int f : field.frames())
        if (range.contains(f)) asked.push_back(f);
    std::vector<Eigen::Vector3d> places;
    for (size_t i = 0; i < std::min(frames, asked.size()); ++i) {
        const SolvedFrame* f = solve.at(asked[i * asked.size() / std::min(frames, asked.size())]);
        if (!f || !f->solved) continue;
        const View view = viewFromPose(f->pose);
        const Intrinsics lens = solve.intrinsics(f->frame);
        const Eigen::Vector2d middle = lens.principalPoint;
        std::vector<double> depths;
        for (const SolvedPoint& p : solve.points)
            if (const auto px = project(view, lens, p.position);
                px && (px->cwiseAbs().array() <= 2 * middle.array() + 1).all() && (px->array() >= 0).all())
                depths.push_back(view.toCamera(p.position).z());
        if (depths.size() < 20) continue;
        const auto nearest = depths.begin() + std::ptrdiff_t(depths.size() / 50);
        std::nth_element(depths.begin(), nearest, depths.end());
        for (const double x : {0.4, 1.0, 1.6})
            for (const double y : {0.4, 1.0, 1.6}) {
                const auto n = lens.normalisedFromPixel({x * middle.x(), y * middle.y()});
                if (!n) continue;
                const Eigen::Vector3d there = *nearest / 2 * n->homogeneous();
                places.emplace_back(view.rotation.transpose() * (there - view.translation));
            }
    }
    return rmsSlip(field, places, range);
}

SlipField slipFieldOf(const SolveResult& solve, const std::vector<Path>& paths, int width, int height) {
    if (solve.motion != Motion::free) return {};
    BundleProblem p;
    std::vector<int> frames;
    std::map<int, int> viewOf;
    for (const SolvedFrame& f : solve.frames) {
        // What the artist made of the path does not change what the observations tell.
        if (!f.solved || (f.origin != PoseOrigin::solved && !f.before)) continue;
        viewOf[f.frame] = int(frames.size());
        frames.push_back(f.frame);
        p.views.push_back(viewFromPose(f.before ? *f.before : f.pose));
        p.lensOfView.push_back(0);
        p.timeOfView.push_back(f.frame);
        if (solve.zooms) p.focalOfView.push_back(f.focalPx);
    }
    p.lenses = {solve.lens};
    if (solve.readout != 0) {
        p.rates = ratesOf(p.views, p.timeOfView), p.readout = solve.readout, p.height = height;
        for (const SolvedFrame& f : solve.frames)
            if (const auto view = viewOf.find(f.frame); f.rate && view != viewOf.end())
                p.rates[size_t(view->second)] = *f.rate;
    }
    std::map<int, const Path*> byId;
    for (const Path& path : paths) byId[path.id] = &path;
    std::map<int, std::set<int>> unused;
    for (const SolveOutlier& o : solve.outliers) unused[o.pathId].insert(o.frames.begin(), o.frames.end());
    for (const SolvedPoint& point : solve.points) {
        const auto path = byId.find(point.pathId);
        if (point.heldBack || path == byId.end()) continue;
        const auto& out = unused[point.pathId];
        const int index = int(p.points.size());
        for (const PathPoint& q : path->second->points) {
            const auto view = viewOf.find(q.frame);
            if (!q.counts() || view == viewOf.end() || !point.stretch.contains(q.frame) || out.contains(q.frame))
                continue;
            p.observations.push_back({view->second, index, {q.x, q.y}, point.weight * sqrtInformationOf(q)});
        }
        p.points.push_back(point.position);
    }
    // A camera that was not solved from these paths tells nothing of its own errors.
    if (p.observations.empty()) return {};
    std::vector<LensValue> solved;
    for (const LensNumber& number : solve.lensNumbers) {
        if (number.name == "focal") solved.push_back(LensValue::focal);
        else if (number.name == "principal x") solved.push_back(LensValue::principalX);
        else if (number.name == "principal y") solved.push_back(LensValue::principalY);
        else
            for (int i = 0; i < solve.lens.lens.count(); ++i)
                if (number.name == lensValueNames(solve.lens.lens.kind())[size_t(i)]) solved.push_back(lensValueAt(i));
    }
    return SlipField(p, frames, solved, width, height, solve.errorsTogether);
}

}  // namespace va
