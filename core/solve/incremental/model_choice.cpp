// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/model_choice.h"
#include "solve/incremental/keyframes.h"
#include "solve/incremental/thresholds.h"

#include <algorithm>
#include <cmath>

namespace va {
namespace {

/// GRIC = Σ min(e²/σ², 2 (r − d)) + λ1 d n + λ2 k for two-dimensional errors (r = 2 an observation).
double gric(const std::vector<double>& squaredErrors, double variance, double pointNumbers, double points,
            double viewNumbers) {
    const double n = double(squaredErrors.size());
    double sum = 0;
    for (double e : squaredErrors) sum += std::min(e / variance, 6.0);
    return sum + std::log(2.0) * pointNumbers * points + std::log(2 * n) * viewNumbers;
}

/// A bundle over every keyframe of a long shot is not needed to see parallax: thirty frames over the whole length do,
/// as long as neighbours still see much the same. Where the view runs away faster, keyframes next to each other: where
/// it stays longest, and at the beginning, in the middle and at the end, since the camera may only turn for a while.
std::vector<std::vector<FrameIndex>> framesToJudge(const Observations& s, const std::vector<FrameIndex>& keyframes) {
    constexpr size_t most = 30;
    if (keyframes.size() <= most) return {keyframes};
    std::vector<FrameIndex> even;
    const size_t step = (keyframes.size() + most - 1) / most;
    for (size_t i = 0; i < keyframes.size(); i += step) even.push_back(keyframes[i]);
    const auto share = [&](FrameIndex a, FrameIndex b) {
        const double all = double(std::min(s.byFrame[a].size(), s.byFrame[b].size()));
        return all > 0 ? double(s.shared(a, b).size()) / all : 0;
    };
    bool together = true;
    for (size_t i = 1; i < even.size(); ++i) together = together && share(even[i - 1], even[i]) > 0.5;
    if (together) return {even};
    std::vector<double> sum{0};
    for (size_t i = 1; i < keyframes.size(); ++i) sum.push_back(sum.back() + share(keyframes[i - 1], keyframes[i]));
    size_t best = 0;
    for (size_t i = 0; i + most <= keyframes.size(); ++i)
        if (sum[i + most - 1] - sum[i] > sum[best + most - 1] - sum[best]) best = i;
    std::vector<std::vector<FrameIndex>> out;
    const size_t last = keyframes.size() - most;
    for (const size_t from : {best, size_t(0), last / 2, last})
        out.emplace_back(keyframes.begin() + std::ptrdiff_t(from), keyframes.begin() + std::ptrdiff_t(from + most));
    return out;
}

/// px between frames next to each other, half of the paths less, where the picture moves fast: in a tenth of the
/// frames.
double fastMove(const Observations& s) {
    std::vector<double> moves;
    for (FrameIndex f(1); f < FrameIndex(s.frameCount()); f = f + 1)
        if (const double move = medianMove(s, f - 1, f); move >= 0) moves.push_back(move);
    if (moves.empty()) return 0;
    const auto upper = moves.begin() + std::ptrdiff_t(moves.size() * 9 / 10);
    std::nth_element(moves.begin(), upper, moves.end());
    return *upper;
}

}  // namespace

bool isNodalPan(const Observations& s, const RotationSolve& r, double least) {
    std::vector<double> errors, variances;
    // Seen once, a position fits whatever the camera does, and costs its numbers in both models: it says nothing.
    std::vector<int> seenIn(size_t(s.pathCount()), 0);
    for (const FrameIndex f : r.frames)
        for (const int i : s.byFrame[f]) ++seenIn[size_t(s.all[size_t(i)].path)];
    double points = 0;
    for (int p = 0; p < s.pathCount(); ++p)
        points += r.directions[size_t(p)].squaredNorm() > 0 && seenIn[size_t(p)] > 1;
    for (size_t k = 0; k < r.frames.size(); ++k)
        for (int i : s.byFrame[r.frames[k]]) {
            const PathObservation& seen = s.all[size_t(i)];
            if (s.heldBack[size_t(seen.path)] || seenIn[size_t(seen.path)] < 2) continue;
            variances.push_back(2 / seen.sqrtInformation.squaredNorm());
            const auto pixel = project(r.viewAt(k, seen.pixel), r.lensOf(k), r.directions[size_t(seen.path)]);
            errors.push_back(pixel ? (*pixel - seen.pixel).squaredNorm() : 1e6);
        }
    // Stated covariances are for one registration; sliding and rolling of texture come on top. A tenth of a pixel in
    // each axis at 1280 px is what good tracking shows.
    const double unit = std::max(0.7, s.width / 1280.0);
    const double variance = std::max(least, median(variances) + std::pow(limits::trackingFloor * unit, 2));
    const std::vector<double> granted(errors.size(), 2 * variance);
    const double views = double(r.frames.size() - 1), zoom = r.focals.empty() ? 0 : views;
    const double turning = gric(errors, variance, 2, points, 3 * views + zoom);
    const double free = gric(granted, variance, 3, points, 6 * views + zoom);
    return turning < free || (r.robustRmsPx < 0.3 * unit && r.upperPx < 1.0 * unit);
}

MotionEvidence chooseMotion(const Observations& s, const std::vector<FrameIndex>& keyframes, const Intrinsics& lens,
                            const std::vector<LensValue>& solved, const std::vector<BundleOptions::Prior>& priors,
                            uint64_t seed, bool mayZoom, const RowReading& rows) {
    MotionEvidence out;
    std::vector<double> moves;
    for (const auto& [begin, end] : s.ofPath) {
        double far = 0;
        for (int i = begin; i < end; ++i)
            far = std::max(far, (s.all[size_t(i)].pixel - s.all[size_t(begin)].pixel).norm());
        moves.push_back(far);
    }
    if (moves.empty()) return out;
    std::sort(moves.begin(), moves.end());
    out.largestMovePx = moves[moves.size() * 9 / 10];
    // Half of what is seen stands to half a pixel: no camera moves so that this comes about, whatever the rest does.
    if (moves[moves.size() / 2] < limits::lockedOffMove) {
        out.motion = Motion::lockedOff;
        return out;
    }
    for (const std::vector<FrameIndex>& frames : framesToJudge(s, keyframes)) {
        const bool first = out.motion == Motion::none;
        RotationSolve rotation = solveRotationOnly(s, frames, lens, solved, priors, seed);
        bool turns = rotation.found && isNodalPan(s, rotation);
        if (rotation.found && !turns && mayZoom) {
            RotationSolve zooming = solveRotationOnly(s, frames, lens, solved, priors, seed, true);
            if (zooming.found && isNodalPan(s, zooming)) turns = true, rotation = std::move(zooming);
        }
        // One stretch that moves is enough.
        if (first || !turns) out.rotation = std::move(rotation);
        out.motion = turns ? Motion::nodalPan : Motion::free;
        if (!turns) break;
    }
    // Far from a nodal pan no shear makes up for it, and rows shift by half the move from frame to frame at most.
    const bool nearlyRotates = out.rotation.found && out.rotation.robustRmsPx < 2 * std::max(1.0, s.width / 1280.0) &&
                               out.rotation.robustRmsPx < 0.5 * fastMove(s);
    if (out.motion == Motion::free && (rows.matters() || (rows.looks && nearlyRotates))) {
        std::vector<FrameIndex> all;
        for (const FrameIndex f : s.indices())
            if (s.byFrame[f].size() >= 4) all.push_back(f);
        const Intrinsics& start = out.rotation.found ? out.rotation.lens : lens;
        const RotationSolve whole = solveRotationOnly(s, all, start, {}, {}, seed);
        RotationSolve rotation =
            withRowsRead(s, whole, solved, priors, rows.matters() ? rows : RowReading{true, 0, true});
        if (rotation.found && (rows.matters() || tellsReadout(rotation.readout, rotation.readoutSigma)) &&
            isNodalPan(s, rotation))
            out.motion = Motion::nodalPan, out.rotation = std::move(rotation);
    }
    return out;
}

bool restStandsStill(const Observations& s, const std::vector<char>& explained) {
    int standing = 0, used = 0, lasting = 0;
    for (int p = 0; p < s.pathCount(); ++p) {
        const auto [begin, end] = s.ofPath[size_t(p)];
        if (2 * (end - begin) < s.frameCount()) continue;
        ++lasting;
        // Something went past it, or the picture was coded badly.
        std::vector<double> moves;
        for (int i = begin; i < end; ++i) moves.push_back((s.all[size_t(i)].pixel - s.all[size_t(begin)].pixel).norm());
        const auto most = moves.begin() + std::ptrdiff_t(moves.size() * 9 / 10);
        std::nth_element(moves.begin(), most, moves.end());
        if (*most > 2 * limits::lockedOffMove) continue;
        ++(explained[size_t(p)] ? used : standing);
    }
    return standing >= limits::standingPaths && standing * 10 >= lasting && used * 2 <= standing;
}

}  // namespace va
