// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/report/rotation_result.h"
#include "base/text.h"
#include "solve/incremental/thresholds.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <utility>

namespace va {
namespace {

RotationSolve overAllFrames(const RotationSolve& onKeyframes, const Observations& by, const SolveQuestion& q) {
    std::vector<FrameIndex> all;
    for (const FrameIndex f : by.indices())
        if (by.byFrame[f].size() >= 4) all.push_back(f);
    if (!onKeyframes.rates.empty() && onKeyframes.frames == all) return onKeyframes;
    const bool zooms = !onKeyframes.focals.empty();
    const std::vector<LensValue> solved = zooms ? std::vector{LensValue::focal} : std::vector<LensValue>{};
    Intrinsics start = onKeyframes.lens;
    if (zooms) start.focalPx = onKeyframes.focals.front();
    RotationSolve r = onKeyframes;
    RotationSolve whole = solveRotationOnly(by, all, start, solved, {}, q.request.seed, zooms);
    if (whole.found) r = std::move(whole);
    // A shear of the pictures that was taken for something else has distorted the lens.
    const std::vector<LensValue> values = zooms ? solved : q.lensValues();
    const RowReading rows = q.rows();
    if (rows.matters()) return withRowsRead(by, r, values, q.priors(), rows);
    if (rows.looks) {
        RotationSolve rolling = withRowsRead(by, r, values, q.priors(), {true, 0, true});
        if (tellsReadout(rolling.readout, rolling.readoutSigma)) return rolling;
    }
    return withPathsWeighed(by, r, q.lensValues(), q.priors());
}

/// Whether the turns found move the picture by less than half a px of it: something large that moves by itself hid that
/// the rest stands.
bool standsStill(const RotationSolve& r) {
    if (!r.focals.empty() || !r.rates.empty()) return false;
    return std::all_of(r.rotations.begin(), r.rotations.end(), [&](const Eigen::Matrix3d& turn) {
        return Eigen::AngleAxisd(turn * r.rotations.front().transpose()).angle() * r.lens.focalPx <
               limits::lockedOffMove;
    });
}

/// What was not solved by may still go where the rotation takes it: its direction is that of its first observation.
void placeTheRest(const Observations& s, RotationSolve& r) {
    for (size_t k = 0; k < r.frames.size(); ++k)
        for (const int i : s.byFrame[r.frames[k]]) {
            const PathObservation& at = s.all[size_t(i)];
            Eigen::Vector3d& d = r.directions[size_t(at.path)];
            if (d.squaredNorm() > 0 || s.heldBack[size_t(at.path)]) continue;
            if (const auto n = r.lensOf(k).normalisedFromPixel(at.pixel))
                d = r.viewAt(k, at.pixel).rotation.transpose() * n->homogeneous().normalized();
        }
}

}  // namespace

void takeFixed(const SolveQuestion& question, SolveResult& result) {
    const Observations& s = question.observations;
    result.motion = Motion::lockedOff;
    result.trouble = SolveTrouble::noParallax;
    result.lens = question.lens;
    for (size_t f = 0; f < result.frames.size(); ++f) {
        result.frames[f].solved = true;
        result.frames[f].focalPx = question.lens.focalPx;
        result.frames[f].observations = int(s.byFrame[FrameIndex(int(f))].size());
    }
    for (int p = 0; p < s.pathCount(); ++p) {
        const auto [begin, end] = s.ofPath[size_t(p)];
        double far = 0;
        for (int i = begin; i < end; ++i)
            far = std::max(far, (s.all[size_t(i)].pixel - s.all[size_t(begin)].pixel).norm());
        if (far > question.scaledPx(1.5))
            result.outliers.push_back({s.pathIds[size_t(p)], true, {}, OutlierReason::notLockedOff});
    }
}

void takeRotation(const RotationSolve& onKeyframes, const Observations& by, const SolveQuestion& question,
                  Progress& progress, SolveResult& result) {
    progress.stage(text("Solving the rotation"), 0, 0.8);
    const Observations& s = question.observations;
    RotationSolve r = overAllFrames(onKeyframes, by, question);
    if (question.request.move == MoveChoice::automatic && standsStill(r)) return takeFixed(question, result);
    placeTheRest(s, r);
    result.zooms = !r.focals.empty();
    result.height = question.request.height;
    result.readout = r.readout;
    result.readoutSigma = r.readoutSigma;
    result.motion = Motion::nodalPan;
    result.trouble = SolveTrouble::noParallax;
    result.lens = r.lens;
    result.rotationRmsPx = r.robustRmsPx;
    std::vector<LensValue> values = question.lensValues();
    if (question.request.principal == Known::known && r.lens.principalPoint != question.lens.principalPoint)
        values.push_back(LensValue::principalX), values.push_back(LensValue::principalY);
    if (const auto variance = lensVariance(s, r, values, question.priors())) {
        const Eigen::MatrixXd covariance = variance->asDiagonal();
        result.lensNumbers = lensNumbers(r.lens, values, covariance);
    }
    const View base{r.rotations.front(), Eigen::Vector3d::Zero()};
    const Eigen::Quaterniond baseRotation = poseFromView(base).worldFromCamera;
    double sum = 0;
    int count = 0;
    std::vector<std::pair<int, int>> used(size_t(s.pathCount()));  // of all
    for (size_t k = 0; k < r.frames.size(); ++k) {
        SolvedFrame& out = result.frames[size_t(r.frames[k])];
        const View view{r.rotations[k], Eigen::Vector3d::Zero()};
        out.solved = true;
        out.pose.worldFromCamera = (baseRotation.conjugate() * poseFromView(view).worldFromCamera).normalized();
        out.focalPx = r.lensOf(k).focalPx;
        if (std::find(r.measuredRates.begin(), r.measuredRates.end(), k) != r.measuredRates.end())
            out.rate = r.rates[k];
        double frameSum = 0;
        for (int i : s.byFrame[r.frames[k]]) {
            const PathObservation& at = s.all[size_t(i)];
            const Eigen::Vector3d& d = r.directions[size_t(at.path)];
            const auto p = d.squaredNorm() > 0 ? project(r.viewAt(k, at.pixel), r.lensOf(k), d) : std::nullopt;
            const double e2 = p ? (*p - at.pixel).squaredNorm() : 1e9;
            ++used[size_t(at.path)].second;
            if (e2 > std::max(1.0, 36 * r.robustRmsPx * r.robustRmsPx)) continue;
            frameSum += e2;
            ++out.observations;
            ++used[size_t(at.path)].first;
        }
        sum += frameSum;
        count += out.observations;
        out.rmsPx = out.observations > 0 ? std::sqrt(frameSum / out.observations) : 0;
    }
    result.rmsPx = count > 0 ? std::sqrt(sum / count) : 0;
    for (int p = 0; p < s.pathCount(); ++p)
        if (!s.heldBack[size_t(p)] && 2 * used[size_t(p)].first < used[size_t(p)].second)
            result.outliers.push_back({s.pathIds[size_t(p)], true, {}, OutlierReason::notRotation});
}

}  // namespace va
