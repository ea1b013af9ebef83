// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/turn_result.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <utility>

namespace va {
namespace {

RotationSolve overAllFrames(const RotationSolve& onKeyframes, const Sightings& by, const SolveQuestion& q) {
    std::vector<int> all;
    for (int f = 0; f < by.frameCount(); ++f)
        if (by.byFrame[size_t(f)].size() >= 4) all.push_back(f);
    if (!onKeyframes.rates.empty() && onKeyframes.frames == all) return onKeyframes;
    const bool zooms = !onKeyframes.focals.empty();
    const std::vector<LensValue> solved = zooms ? std::vector{LensValue::focal} : std::vector<LensValue>{};
    Intrinsics start = onKeyframes.lens;
    if (zooms) start.focalPx = onKeyframes.focals.front();
    RotationSolve r = onKeyframes;
    RotationSolve whole = solveRotationOnly(by, all, start, solved, {}, q.request.seed, zooms);
    if (whole.found) r = std::move(whole);
    // A shear of the pictures that was taken for something else has bent the lens.
    if (q.rows().matters()) r = withRowsRead(by, r, zooms ? solved : q.lensValues(), q.priors(), q.rows());
    else r = withPathsWeighed(by, r, q.lensValues(), q.priors());
    return r;
}

/// What was not solved by may still go where the turn takes it: its direction is that of its first sighting.
void placeTheRest(const Sightings& s, RotationSolve& r) {
    for (size_t k = 0; k < r.frames.size(); ++k)
        for (const int i : s.byFrame[size_t(r.frames[k])]) {
            const PathSighting& at = s.all[size_t(i)];
            Eigen::Vector3d& d = r.directions[size_t(at.path)];
            if (d.squaredNorm() > 0 || s.heldBack[size_t(at.path)]) continue;
            if (const auto n = r.lensOf(k).normalisedFromPixel(at.pixel))
                d = r.viewAt(k, at.pixel).rotation.transpose() * n->homogeneous().normalized();
        }
}

}  // namespace

void takeFixed(const SolveQuestion& question, SolveResult& result) {
    const Sightings& s = question.sightings;
    result.motion = Motion::fixed;
    result.trouble = SolveTrouble::noParallax;
    result.lens = question.lens;
    for (size_t f = 0; f < result.frames.size(); ++f) {
        result.frames[f].solved = true;
        result.frames[f].focalPx = question.lens.focalPx;
        result.frames[f].sightings = int(s.byFrame[f].size());
    }
    for (int p = 0; p < s.pathCount(); ++p) {
        const auto [begin, end] = s.ofPath[size_t(p)];
        double far = 0;
        for (int i = begin; i < end; ++i)
            far = std::max(far, (s.all[size_t(i)].pixel - s.all[size_t(begin)].pixel).norm());
        if (far > question.scaledPx(1.5))
            result.outliers.push_back({s.pathIds[size_t(p)], true, {}, "moves, although the camera stands"});
    }
}

void takeRotation(const RotationSolve& onKeyframes, const Sightings& by, const SolveQuestion& question,
                  Progress& progress, SolveResult& result) {
    progress.stage("Solving the turns", 0, 0.8);
    const Sightings& s = question.sightings;
    RotationSolve r = overAllFrames(onKeyframes, by, question);
    placeTheRest(s, r);
    result.zooms = !r.focals.empty();
    result.height = question.request.height;
    result.readout = r.readout;
    result.readoutSigma = r.readoutSigma;
    result.motion = Motion::rotation;
    result.trouble = SolveTrouble::noParallax;
    result.lens = r.lens;
    result.rotationRmsPx = r.robustRmsPx;
    const View base{r.rotations.front(), Eigen::Vector3d::Zero()};
    const Eigen::Quaterniond baseTurn = poseFromView(base).worldFromCamera;
    double sum = 0;
    int count = 0;
    std::vector<std::pair<int, int>> believed(size_t(s.pathCount()));  // of all
    for (size_t k = 0; k < r.frames.size(); ++k) {
        SolvedFrame& out = result.frames[size_t(r.frames[k])];
        const View view{r.rotations[k], Eigen::Vector3d::Zero()};
        out.solved = true;
        out.pose.worldFromCamera = (baseTurn.conjugate() * poseFromView(view).worldFromCamera).normalized();
        out.focalPx = r.lensOf(k).focalPx;
        double frameSum = 0;
        for (int i : s.byFrame[size_t(r.frames[k])]) {
            const PathSighting& at = s.all[size_t(i)];
            const Eigen::Vector3d& d = r.directions[size_t(at.path)];
            const auto p = d.squaredNorm() > 0 ? project(r.viewAt(k, at.pixel), r.lensOf(k), d) : std::nullopt;
            const double e2 = p ? (*p - at.pixel).squaredNorm() : 1e9;
            ++believed[size_t(at.path)].second;
            if (e2 > std::max(1.0, 36 * r.robustRmsPx * r.robustRmsPx)) continue;
            frameSum += e2;
            ++out.sightings;
            ++believed[size_t(at.path)].first;
        }
        sum += frameSum;
        count += out.sightings;
        out.rmsPx = out.sightings > 0 ? std::sqrt(frameSum / out.sightings) : 0;
    }
    result.rmsPx = count > 0 ? std::sqrt(sum / count) : 0;
    for (int p = 0; p < s.pathCount(); ++p)
        if (!s.heldBack[size_t(p)] && 2 * believed[size_t(p)].first < believed[size_t(p)].second)
            result.outliers.push_back({s.pathIds[size_t(p)], true, {}, "does not go where a turn takes it"});
}

}  // namespace va
