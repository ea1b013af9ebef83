// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/mover_steady.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/Geometry>
#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <set>

#include "base/cross_matrix.h"
#include "solve/camera.h"
#include "solve/incremental/observations.h"

namespace va {
namespace {

constexpr int fewestFrames = 16;
/// Eigenvalues of longer stretches would take long: they are smoothed in windows that overlap.
constexpr int window = 240, overlap = 40;
/// A period of so many frames passes at half its size with the largest μ.
constexpr double longestPeriod = 20;
constexpr double jolt = 5;       ///< deviations
constexpr double seenPx = 0.25;  ///< px of the plate: a jolt moves the mover's features by more, root mean square
/// Times that rotations may scatter beyond what their features' own errors explain: features err together. What
/// scatters more moves.
constexpr double errorsBeyond = 2.5;
constexpr double noWeight = 1e-6;  ///< of the mean one

using Rotations = std::vector<Eigen::Quaterniond>;
using Changes = Eigen::Matrix<double, Eigen::Dynamic, 3>;

Eigen::Vector3d rotationVector(const Eigen::Quaterniond& q) {
    const Eigen::AngleAxisd a(q);
    return a.angle() * a.axis();
}

Eigen::Quaterniond turned(const Eigen::Vector3d& by, const Eigen::Quaterniond& q) {
    const double angle = by.norm();
    return angle > 0 ? Eigen::Quaterniond(Eigen::AngleAxisd(angle, by / angle)) * q : q;
}

/// What takes the jitter out of rotations.
struct Smoothing {
    Changes changes;  ///< of each rotation, a rotation vector in the world's axes
    double mu = 0;
    double sigma = 0;  ///< radians an axis, of a frame of mean weight
};

/// Of rotations that follow each other frame by frame, with weights of mean one; μ is found among those that change the
/// rotations by `most` an axis and no more (root mean square), 0 where there is none.
Smoothing smoothing(const Rotations& rotations, const Eigen::VectorXd& weights, double most) {
    const auto n = Eigen::Index(rotations.size());
    Changes steps(n - 1, 3);
    for (Eigen::Index i = 0; i + 1 < n; ++i)
        steps.row(i) = rotationVector(rotations[size_t(i) + 1] * rotations[size_t(i)].conjugate()).transpose();
    const Changes third = steps.topRows(n - 3) - 2 * steps.middleRows(1, n - 3) + steps.bottomRows(n - 3);
    Eigen::MatrixXd difference = Eigen::MatrixXd::Zero(n - 3, n);
    for (Eigen::Index k = 0; k < n - 3; ++k) difference.block<1, 4>(k, k) << -1, 3, -3, 1;
    const Eigen::VectorXd root = weights.cwiseSqrt().cwiseInverse();
    const Eigen::MatrixXd scaled = difference * root.asDiagonal();
    const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> eigen(scaled.transpose() * scaled);
    const Eigen::VectorXd g = eigen.eigenvalues().cwiseMax(0);
    const Eigen::MatrixXd at = eigen.eigenvectors().transpose() * (scaled.transpose() * third);
    // The residual against the smooth rotations, in eigenvectors: μ / (1 + μ g) times what the differences say.
    const auto residual = [&](double mu) -> Changes { return (mu / (1 + mu * g.array())).matrix().asDiagonal() * at; };
    const auto left = double((weights.array() < 2 * noWeight).count());
    const auto spare = [&](double mu) { return double(n) - left - (1 / (1 + mu * g.array())).sum(); };
    const double largest = std::pow(longestPeriod / (2 * M_PI), 6);
    double best = INFINITY;
    Smoothing out;
    for (double m = largest; m > 1e-3; m /= std::sqrt(10.0)) {
        const double squares = residual(m).squaredNorm(), score = squares / (spare(m) * spare(m));
        if (score < best && squares <= 3 * double(n) * most * most) best = score, out.mu = m;
    }
    const Changes off = residual(out.mu);
    out.sigma = std::sqrt(off.squaredNorm() / (3 * std::max(1e-9, spare(out.mu))));
    out.changes = -(root.asDiagonal() * (eigen.eigenvectors() * off));
    return out;
}

/// What features say of each rotation of a stretch.
struct Evidence {
    Eigen::VectorXd information;  ///< inverse variance an axis
    Eigen::VectorXd seen;         ///< radians that would be seen in the picture
    [[nodiscard]] Evidence part(int begin, int end) const {
        return {information.segment(begin, end - begin), seen.segment(begin, end - begin)};
    }
};

/// The same, with jolts left out and unchanged.
Changes steadying(const Rotations& rotations, const Evidence& evidence) {
    const double mean = evidence.information.mean(), most = errorsBeyond / std::sqrt(mean);
    Eigen::VectorXd weights = evidence.information / mean;
    Smoothing s = smoothing(rotations, weights, most);
    std::vector<Eigen::Index> jolts;
    for (Eigen::Index i = 0; i < weights.size(); ++i) {
        const double change = s.changes.row(i).norm();
        if (change > evidence.seen[i] && change * std::sqrt(weights[i]) > jolt * std::min(s.sigma, most))
            jolts.push_back(i);
    }
    if (jolts.empty()) return s.changes;
    for (const Eigen::Index i : jolts) weights[i] = noWeight;
    s = smoothing(rotations, weights, most);
    for (const Eigen::Index i : jolts) s.changes.row(i).setZero();
    return s.changes;
}

/// A long stretch in windows: each frame's change from the window whose ends are farther away.
Changes steadyingOfStretch(const Rotations& rotations, const Evidence& evidence) {
    const int n = int(rotations.size());
    Changes out = Changes::Zero(n, 3);
    for (int begin = 0;; begin += window - overlap) {
        const int end = n - begin < window + overlap ? n : begin + window;
        const Changes part =
            steadying(Rotations(rotations.begin() + begin, rotations.begin() + end), evidence.part(begin, end));
        const int from = begin == 0 ? 0 : overlap / 2;
        out.middleRows(begin + from, end - begin - from) = part.bottomRows(end - begin - from);
        if (end == n) return out;
    }
}

/// What a frame sees of the mover: its points, and where, the lens undone.
struct Sight {
    std::vector<Eigen::Vector3d> points;
    std::vector<Eigen::Vector2d> seen;
    std::vector<double> weights;  ///< as the solve let them count, of mean one over the mover
};

std::map<int, Sight> sightsOf(const SolveResult& mover, const std::vector<Path>& paths) {
    std::map<int, std::set<int>> leftOut;
    for (const SolveOutlier& o : mover.outliers) leftOut[o.pathId].insert(o.frames.begin(), o.frames.end());
    std::map<int, const Path*> byId;
    for (const Path& p : paths) byId[p.id] = &p;
    std::map<int, Sight> out;
    double sum = 0, count = 0;
    for (const SolvedPoint& p : mover.points) {
        const auto path = byId.find(p.pathId);
        if (p.heldBack || path == byId.end()) continue;
        const auto without = leftOut.find(p.pathId);
        for (const PathPoint& q : path->second->points) {
            if (!q.counts() || !p.stretch.contains(q.frame)) continue;
            if (without != leftOut.end() && without->second.contains(q.frame)) continue;
            const auto n = mover.intrinsics(q.frame).normalisedFromPixel({q.x, q.y});
            if (!n) continue;
            Sight& sight = out[q.frame];
            sight.points.push_back(p.position);
            sight.seen.push_back(*n);
            sight.weights.push_back(p.weight * p.weight / std::max(1e-6, double(q.sxx) + double(q.syy)));
            sum += sight.weights.back(), ++count;
        }
    }
    for (auto& [frame, sight] : out)
        for (double& w : sight.weights) w *= count / sum;
    return out;
}

/// Normal equations of a view around the points it sees: first its turn about the camera's axes, then its translation.
using ViewNormal = Eigen::Matrix<double, 6, 6>;
ViewNormal normalOf(const View& view, const Sight& sight) {
    ViewNormal out = ViewNormal::Zero();
    for (size_t i = 0; i < sight.points.size(); ++i) {
        const Eigen::Vector3d rotated = view.rotation * sight.points[i], c = rotated + view.translation;
        if (!(c.z() > 1e-9)) continue;
        Eigen::Matrix<double, 2, 3> by;
        by << 1 / c.z(), 0, -c.x() / (c.z() * c.z()), 0, 1 / c.z(), -c.y() / (c.z() * c.z());
        Eigen::Matrix<double, 2, 6> row;
        row << -by * crossMatrix(rotated), by;
        out += sight.weights[i] * row.transpose() * row;
    }
    return out;
}

/// How the translation follows a turn for the points to stay where they are seen, in the least squares sense.
Eigen::Matrix3d translationByTurn(const ViewNormal& n) {
    return -n.bottomRightCorner<3, 3>().ldlt().solve(n.bottomLeftCorner<3, 3>());
}

/// Inverse variance an axis, in radians, of the rotation, whatever the translation, when points of weight 1 are seen to
/// `sigma` an axis. 0 where the points do not tell it.
double rotationInformation(const ViewNormal& n, double sigma) {
    const Eigen::Matrix3d rotation = n.topLeftCorner<3, 3>() + n.topRightCorner<3, 3>() * translationByTurn(n);
    const double variance = sigma * sigma * rotation.inverse().trace() / 3;
    return std::isfinite(variance) && variance > 0 ? 1 / variance : 0;
}

double squaredErrors(const SolveResult& mover, const SolvedFrame& f, const Sight& sight) {
    const Intrinsics lens = mover.intrinsics(f.frame);
    double sum = 0;
    for (size_t i = 0; i < sight.points.size(); ++i) {
        const auto at = project(f.pose, lens, sight.points[i]);
        const auto was = lens.pixelFromNormalised(sight.seen[i]);
        if (at) sum += (*at - was).squaredNorm();
    }
    return sum;
}

/// The frame with its mover turned by `change` in the world, standing where its features see it.
std::optional<SolvedFrame> turnedBy(const Eigen::Vector3d& change, const SolvedFrame& frame, const CameraPose& camera,
                                    const SolveResult& mover, const Sight& sight) {
    const Eigen::Quaterniond world = turned(change, camera.worldFromCamera * frame.pose.worldFromCamera.conjugate());
    SolvedFrame out = frame;
    out.pose.worldFromCamera = (world.conjugate() * camera.worldFromCamera).normalized();
    const View had = viewFromPose(frame.pose);
    View view = viewFromPose(out.pose);
    view.translation =
        had.translation + translationByTurn(normalOf(had, sight)) *
                              rotationVector(Eigen::Quaterniond(view.rotation * had.rotation.transpose()));
    out.pose = poseFromView(view);
    if (!out.pose.position.allFinite() || !out.pose.worldFromCamera.coeffs().allFinite()) return std::nullopt;
    // What the frame's fit rises by, the number that is shown rises by.
    const double more = squaredErrors(mover, out, sight) - squaredErrors(mover, frame, sight);
    out.rmsPx = std::sqrt(std::max(0.0, frame.rmsPx * frame.rmsPx + more / std::max(1, frame.observations)));
    return out;
}

}  // namespace

SolveResult withSteadyTurn(const SolveResult& mover, const CameraTrack& camera, const std::vector<Path>& paths) {
    if (mover.motion != Motion::free || mover.readout != 0) return mover;
    const std::map<int, Sight> sights = sightsOf(mover, paths);
    const auto usable = [&](size_t i) {
        const SolvedFrame& f = mover.frames[i];
        const SolvedFrame* c = camera.at(f.frame);
        const auto sight = sights.find(f.frame);
        return f.solved && f.origin == PoseOrigin::solved && c && c->solved && sight != sights.end() &&
               sight->second.points.size() >= 4;
    };
    SolveResult out = mover;
    for (size_t begin = 0, end = 0; begin < mover.frames.size(); begin = std::max(begin + 1, end)) {
        end = begin;
        while (end < mover.frames.size() && usable(end) &&
               mover.frames[end].frame == mover.frames[begin].frame + int(end - begin))
            ++end;
        if (end - begin < size_t(fewestFrames)) continue;
        Rotations rotations;
        Evidence evidence{Eigen::VectorXd(Eigen::Index(end - begin)), Eigen::VectorXd(Eigen::Index(end - begin))};
        for (size_t i = begin; i < end; ++i) {
            const SolvedFrame& f = mover.frames[i];
            const Sight& sight = sights.at(f.frame);
            // An axis, on the plane at distance 1.
            const double focal = mover.intrinsics(f.frame).focalPx,
                         sigma = std::max(1e-3, mover.rmsPx) / (M_SQRT2 * focal);
            rotations.push_back(camera.at(f.frame)->pose.worldFromCamera * f.pose.worldFromCamera.conjugate());
            const double information = rotationInformation(normalOf(viewFromPose(f.pose), sight), sigma);
            const auto at = Eigen::Index(i - begin);
            evidence.information[at] = information;
            // A turn of one deviation moves a feature by its own error over the root of their number.
            evidence.seen[at] = information > 0 ? seenPx / focal * std::sqrt(double(sight.points.size())) /
                                                      (sigma * std::sqrt(information))
                                                : 0;
        }
        // What tracking errs by beyond its stated errors is much alike in all frames: none counts more than the usual
        // one, and one that tells nothing of the rotation still has one.
        std::vector<double> all(evidence.information.begin(), evidence.information.end());
        const double usual = median(std::move(all));
        if (!(usual > 0)) continue;
        evidence.information = evidence.information.cwiseMax(1e-3 * usual).cwiseMin(usual).eval();
        const Changes changes = steadyingOfStretch(rotations, evidence);
        for (size_t i = begin; i < end; ++i) {
            const Eigen::Vector3d change = changes.row(Eigen::Index(i - begin)).transpose();
            const SolvedFrame& f = mover.frames[i];
            if (change.isZero(0)) continue;
            if (const auto next = turnedBy(change, f, camera.at(f.frame)->pose, mover, sights.at(f.frame)))
                out.frames[i] = *next;
        }
    }
    double more = 0, count = 0;
    for (size_t i = 0; i < out.frames.size(); ++i) {
        const SolvedFrame &is = out.frames[i], &was = mover.frames[i];
        more += is.observations * (is.rmsPx * is.rmsPx - was.rmsPx * was.rmsPx), count += is.observations;
    }
    if (count > 0) out.rmsPx = std::sqrt(std::max(0.0, mover.rmsPx * mover.rmsPx + more / count));
    return out;
}

}  // namespace va
